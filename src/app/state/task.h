// SPDX-License-Identifier: GPL-3.0-or-later
// Slow work off the window's thread: progress, time left, cancel.
//
//   tasks.start("Measuring light", [copy](const Work& work) {
//     auto result = slow(copy, work);
//     return [this, result] { use(result); };   // runs in the window's thread
//   });
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QThreadPool>
#include <atomic>
#include <functional>
#include <memory>
#include <vector>

#include "base/parallel.h"
#include "base/result.h"

namespace tsukimi::app {

struct Task {
  QString label;
  std::atomic<bool> cancelled{false};
  std::atomic<int> done{0}, total{0};
  bool ended = false;  // set in the window's thread, before the work's last step there
  QElapsedTimer clock;
  bool shown = true;  // in the facts bar

  // "12 s left", empty while unknown.
  QString time_left() const;
};
using TaskPtr = std::shared_ptr<Task>;

inline bool is_running(const TaskPtr& task) { return task && !task->ended; }

class TaskList : public QObject {
  Q_OBJECT
 public:
  using Finish = std::function<void()>;
  using Body = std::function<Finish(const Work&)>;
  using Failed = std::function<void(const Error& why)>;

  explicit TaskList(QObject* parent = nullptr);
  ~TaskList() override;  // cancels everything and waits

  // No exception leaves a task: it becomes a sentence, for `failed` in the window's thread or, if
  // there is none, for problem().
  TaskPtr start(QString label, Body body, bool shown = true, Failed failed = {});
  const std::vector<TaskPtr>& running() const { return tasks_; }
  bool idle() const { return tasks_.empty(); }
  // Where the work runs. Not the application's own pool: Qt paints with that one, and a window
  // whose pool is full of long work would wait for it in the middle of a picture.
  QThreadPool& pool() { return pool_; }
  void cancel_all();
  void finish_all();  // cancels everything and waits; nothing of it runs in this thread any more

 signals:
  void changed();  // a task began or ended
  void problem(const QString& why);

 private:
  QThreadPool pool_;
  std::vector<TaskPtr> tasks_;
  std::shared_ptr<std::atomic<int>> in_flight_ = std::make_shared<std::atomic<int>>(0);
};

}  // namespace tsukimi::app
