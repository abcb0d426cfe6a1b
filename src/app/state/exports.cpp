#include "app/state/exports.h"

namespace tsukimi::app {

Exports::Exports(Document& document, LightWork& light, ExportQueue& queue, Notices& notices)
    : document_(document), light_(light), queue_(queue), notices_(notices) {
  connect(&document_, &Document::opened, this, [this] {
    if (std::exchange(shoot_serial_, document_.shoot_serial()) == document_.shoot_serial()) return;
    if (queue_.idle()) last_.reset();
    waits_.reset();
  });
  connect(&light_, &LightWork::planned, this, [this] {
    if (waits_) start_now(*std::exchange(waits_, std::nullopt));
  });
  connect(&light_, &LightWork::cancelled, this, [this] {
    if (std::exchange(waits_, std::nullopt))
      emit notices_.problem(tr("Nothing was exported: measuring the light was cancelled."));
  });
}

void Exports::start(bool overwrite) {
  if (!document_.is_open() || running()) return;
  const Decisions& d = document_.decisions();
  const bool needs_light = d.level.on || d.deflicker.on;
  if (!needs_light || light_.up_to_date()) return start_now(overwrite);
  waits_ = overwrite;
  if (!light_.planning()) light_.measure_again();
  emit notices_.message(tr("The export begins when the light has been measured."));
}

void Exports::start_now(bool overwrite) {
  queue_.add({document_.shoot(), light_.plan(), overwrite,
              [this, shoot = document_.shoot_serial(), name = document_.name()](auto report) {
                end(std::move(report), shoot, name);
              }});
}

// Of the shoot that is open, the drawer tells; of another one, the status line.
void Exports::end(Result<ExportReport> report, quint64 shoot, const QString& name) {
  if (shoot == document_.shoot_serial()) {
    last_ = std::move(report);
  } else {
    last_.reset();
    const bool good = report && report->complete();
    if (good)
      emit notices_.message(tr("%1: all %2 frames are exported.").arg(name).arg(report->total));
    else
      emit notices_.problem(tr("The export of %1 is not complete. ").arg(name) +
                            (!report ? QString::fromStdString(report.error().message)
                             : report->problems.empty()
                                 ? tr("It was cancelled.")
                                 : QString::fromStdString(report->problems.front())));
  }
  emit finished();
}

}  // namespace tsukimi::app
