// Exporting the film of the shoot that is open. An export works on a copy of its own: it goes on
// when another shoot is opened.
//
// Lives in the window's thread; frames are made in the background.
#pragma once

#include "app/state/light_work.h"
#include "output/export_frames.h"

namespace tsukimi::app {

class Exports : public QObject {
  Q_OBJECT
 public:
  Exports(Document& document, LightWork& light, TaskList& tasks, Notices& notices);

  // Measures the light first if levelling or deflicker need it.
  void start(bool overwrite);
  bool running() const { return is_running(export_) || waits_.has_value(); }
  // Of the shoot that is open.
  const std::optional<Result<ExportReport>>& last() const { return last_; }

 signals:
  void finished();

 private:
  void start_now(bool overwrite);
  void end(Result<ExportReport> report, quint64 shoot, const QString& name);

  Document& document_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  TaskPtr export_;
  std::optional<bool> waits_;  // for the light; whether it overwrites
  std::optional<Result<ExportReport>> last_;
  quint64 shoot_serial_ = 0;
};

}  // namespace tsukimi::app
