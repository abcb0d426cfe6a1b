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
#include <atomic>
#include <functional>
#include <memory>
#include <vector>

#include "image/parallel.h"

namespace tsukimi::app {

struct Task {
  QString label;
  std::atomic<bool> cancelled{false};
  std::atomic<int> done{0}, total{0};
  QElapsedTimer clock;
  bool shown = true;  // in the facts bar

  // "12 s left", empty while unknown.
  QString time_left() const;
};

class TaskList : public QObject {
  Q_OBJECT
 public:
  using Finish = std::function<void()>;
  using Body = std::function<Finish(const Work&)>;

  explicit TaskList(QObject* parent = nullptr);
  ~TaskList() override;  // cancels everything and waits

  std::shared_ptr<Task> start(QString label, Body body, bool shown = true);
  const std::vector<std::shared_ptr<Task>>& running() const { return tasks_; }
  bool idle() const { return tasks_.empty(); }
  void cancel_all();

 signals:
  void changed();  // a task began or ended

 private:
  std::vector<std::shared_ptr<Task>> tasks_;
  std::shared_ptr<std::atomic<int>> in_flight_ = std::make_shared<std::atomic<int>>(0);
};

}  // namespace tsukimi::app
