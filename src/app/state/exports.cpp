// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/exports.h"

namespace tsukimi::app {

Exports::Exports(Document& document, ExportQueue& queue, Notices& notices)
    : document_(document), queue_(queue), notices_(notices) {
  connect(&document_, &Document::opened, this, [this] {
    if (std::exchange(shoot_serial_, document_.shoot_serial()) != document_.shoot_serial())
      last_.reset();
  });
  connect(&queue_, &ExportQueue::ended, this, &Exports::end);
  connect(&queue_, &ExportQueue::changed, this, &Exports::finished);
}

bool Exports::running() const {
  if (adding_) return true;
  return std::ranges::any_of(queue_.jobs(), [&](const QueuedJob& j) {
    const auto mine = shoots_.find(j.id);
    return mine != shoots_.end() && mine->second == document_.shoot_serial() &&
           (j.state == JobState::waiting || j.state == JobState::running);
  });
}

void Exports::start(bool overwrite) {
  if (!document_.is_open()) return;
  ExportJob job = job_of(document_.decisions());
  job.overwrite = overwrite;
  add(job);
}

void Exports::start_merged(FileFormat format) {
  if (document_.is_open()) add(merged_job(document_.shoot(), format));
}

void Exports::start_last_frame() {
  if (document_.is_open()) add(last_frame_job(document_.shoot()));
}

void Exports::add(const ExportJob& job) {
  if (running()) return;
  adding_ = true;
  last_.reset();
  queue_.add(document_.shoot(), document_.name(), job,
             [this, shoot = document_.shoot_serial()](const Result<int>& id) {
               adding_ = false;
               if (id) {
                 shoots_[*id] = shoot;
                 // It may have ended before it was known to be ours.
                 if (const QueuedJob* j = queue_.job(*id); j && j->ended()) end(*id);
               } else if (shoot == document_.shoot_serial()) {
                 last_ = QueuedJob{};
                 last_->state = JobState::failed;
                 last_->problem = id.error().message;
               }
               emit finished();
             });
  emit finished();
}

void Exports::fill_holes() {
  if (!last_ || last_->lacking.empty() || !document_.is_open()) return;
  Shoot tried = document_.shoot();
  if (set_holes_aside(tried, last_->lacking)) {
    document_.edit(tr("Fill frames that cannot be read"),
                   [&](Shoot& s) { set_holes_aside(s, last_->lacking); });
    return start(last_->job.overwrite);
  }
  emit notices_.problem(
      tr("Too many frames in a row are missing, or frames set aside are closed up: they cannot be "
         "made from their neighbours."));
}

// Of the shoot that is open, the drawer tells; of another one, the status line.
void Exports::end(int id) {
  const auto mine = shoots_.find(id);
  const QueuedJob* job = queue_.job(id);
  if (mine == shoots_.end() || !job) return;
  if (mine->second == document_.shoot_serial()) {
    last_ = *job;
  } else {
    const QString name = QString::fromStdString(job->name);
    if (job->state == JobState::done)
      emit notices_.message(tr("%1: all %2 frames are exported.").arg(name).arg(job->frames));
    else
      emit notices_.problem(
          tr("The export of %1 is not complete. ").arg(name) +
          (job->problem.empty() ? tr("It was cancelled.") : QString::fromStdString(job->problem)));
  }
  emit finished();
}

}  // namespace tsukimi::app
