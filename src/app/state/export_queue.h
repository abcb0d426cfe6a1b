// Exports that run and wait, one after the other. It belongs to no session: a job works on a copy
// of its own, and goes on whatever is open.
//
// Lives in the window's thread; frames are made in the background.
#pragma once

#include <deque>

#include "app/state/task.h"
#include "output/export_frames.h"

namespace tsukimi::app {

struct ExportJob {
  Shoot shoot;
  std::optional<LightPlan> light;  // when it is known
  bool overwrite = false;
  // In the window's thread, when it has ended.
  std::function<void(Result<ExportReport>)> ended;
};

class ExportQueue : public QObject {
  Q_OBJECT
 public:
  explicit ExportQueue(TaskList& tasks) : tasks_(tasks) {}
  void add(ExportJob job);
  bool idle() const { return jobs_.empty(); }

 private:
  void start_next();
  void end(Result<ExportReport> report);

  TaskList& tasks_;
  std::deque<ExportJob> jobs_;  // the first runs
};

}  // namespace tsukimi::app
