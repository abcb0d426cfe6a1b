// Exporting the film of the shoot that is open: when its light is known, a job for the queue.
//
// Lives in the window's thread.
#pragma once

#include "app/state/export_queue.h"
#include "app/state/light_work.h"

namespace tsukimi::app {

class Exports : public QObject {
  Q_OBJECT
 public:
  Exports(Document& document, LightWork& light, ExportQueue& queue, Notices& notices);

  // Measures the light first if levelling or deflicker need it.
  void start(bool overwrite);
  bool running() const { return !queue_.idle() || waits_.has_value(); }
  // Of the shoot that is open.
  const std::optional<Result<ExportReport>>& last() const { return last_; }

 signals:
  void finished();

 private:
  void start_now(bool overwrite);
  void end(Result<ExportReport> report, quint64 shoot, const QString& name);

  Document& document_;
  LightWork& light_;
  ExportQueue& queue_;
  Notices& notices_;
  std::optional<bool> waits_;  // for the light; whether it overwrites
  std::optional<Result<ExportReport>> last_;
  quint64 shoot_serial_ = 0;
};

}  // namespace tsukimi::app
