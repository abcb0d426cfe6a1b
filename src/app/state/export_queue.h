// SPDX-License-Identifier: GPL-3.0-or-later
// The user's queue of exports (queue/queue.h), as the window sees it: it follows the queue's files,
// whoever works on them, and sees that somebody does: a process of its own, which stands back for
// the window, goes on when that is closed, and takes nothing along when it dies.
//
// Lives in the window's thread; the queue is changed in the background.
#pragma once

#include <QTimer>
#include <deque>

#include "app/state/task.h"
#include "queue/queue.h"

namespace tsukimi::app {

class ExportQueue : public QObject {
  Q_OBJECT
 public:
  explicit ExportQueue(TaskList& tasks);

  const std::vector<QueuedJob>& jobs() const { return jobs_; }
  const QueuedJob* job(int id) const;
  const std::optional<QueueProgress>& progress() const {
    return progress_;
  }  // of the one that runs
  std::filesystem::path picture() const { return queue_.picture(); }
  bool running() const { return running_; }  // somebody is at it
  bool idle() const;                         // nothing runs or waits
  bool changing() const { return !steps_.empty(); }
  double estimated(const ExportJob& job, int frames) const {
    return estimated_seconds(jobs_, job, frames);
  }

  // Put behind the others, and worked on. then: with its number, in the window's thread.
  void add(const Shoot& shoot, const QString& name, const ExportJob& job,
           std::function<void(Result<int>)> then);
  void start();              // goes on with what waits
  bool interrupted() const;  // whoever worked on it was killed
  void pause(int id) {
    change([id](Queue& q) { return q.pause(id); });
  }
  void go_on(int id) {
    change([id](Queue& q) { return q.go_on(id); }, true);
  }
  void cancel(int id) {
    change([id](Queue& q) { return q.cancel(id); });
  }
  void replace(int id) {
    change([id](Queue& q) { return q.replace(id); }, true);
  }
  void move(int id, int place) {
    change([=](Queue& q) { return q.move(id, place); });
  }
  void clear_ended() {
    change([](Queue& q) { return q.clear_ended(); });
  }
  void pause_all();
  void cancel_all();

  void look();  // reads the files

 signals:
  void changed();     // jobs, or who works on them
  void progressed();  // only how far the one is that runs
  void ended(int id);
  void problem(const QString& why);

 private:
  void change(std::function<Result<void>(Queue&)> how, bool then_start = false);
  // Changes are made in the order in which they were asked for.
  void in_turn(std::function<void()> begin);
  void step_ended();
  void each_unfinished(Result<void> (Queue::*how)(int));

  TaskList& tasks_;
  Queue queue_{Queue::users_folder()};
  std::vector<QueuedJob> jobs_;
  std::optional<QueueProgress> progress_;
  std::optional<FileStamp> seen_;
  void launch();
  bool running_ = false, read_ = false;
  bool wanted_ = false;  // what waits is to be made
  QElapsedTimer launched_;
  std::deque<std::function<void()>> steps_;  // changes that are on their way; the first is made
  QTimer poll_;
};

}  // namespace tsukimi::app
