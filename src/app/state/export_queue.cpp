#include "app/state/export_queue.h"

namespace tsukimi::app {

void ExportQueue::add(ExportJob job) {
  jobs_.push_back(std::move(job));
  if (jobs_.size() == 1) start_next();
}

void ExportQueue::start_next() {
  const ExportJob& job = jobs_.front();
  tasks_.start(
      tr("Exporting"),
      [this, shoot = job.shoot, light = job.light,
       overwrite = job.overwrite](const Work& work) mutable -> TaskList::Finish {
        auto report = std::make_shared<Result<ExportReport>>(export_shoot(
            shoot, std::move(light), {}, overwrite, [&](const char*) { return work; }));
        return [this, report] { end(std::move(*report)); };
      },
      true, [this](const Error& why) { end(tl::unexpected(why)); });
}

void ExportQueue::end(Result<ExportReport> report) {
  const ExportJob job = std::move(jobs_.front());
  jobs_.pop_front();
  if (!jobs_.empty()) start_next();
  job.ended(std::move(report));
}

}  // namespace tsukimi::app
