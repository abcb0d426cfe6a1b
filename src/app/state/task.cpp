// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/task.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThread>
#include <algorithm>

namespace tsukimi::app {

QString Task::time_left() const {
  const int d = done, t = total;
  if (d < 3 || t <= 0 || clock.elapsed() < 700) return {};
  const qint64 left = clock.elapsed() * (t - d) / d / 1000;
  return left >= 90 ? QObject::tr("%1 min left").arg((left + 30) / 60)
                    : QObject::tr("%1 s left").arg(left + 1);
}

TaskList::TaskList(QObject* parent) : QObject(parent) {
  // Something short (autosave, a picture) is not to wait behind an export and a measurement.
  pool_.setMaxThreadCount(std::max(4, QThread::idealThreadCount()));
}

TaskList::~TaskList() { finish_all(); }

void TaskList::finish_all() {
  cancel_all();
  while (*in_flight_ > 0) QThread::msleep(2);
}

void TaskList::cancel_all() {
  for (auto& t : tasks_) t->cancelled = true;
}

// What the body gave, or how it failed.
static TaskList::Finish run_guarded(const QString& label, const TaskList::Body& body,
                                    const TaskList::Failed& failed, const Work& work) {
  try {
    return body(work);
  } catch (...) {
    const Error why =
        error_of(std::current_exception(), label.toStdString() + " could not be finished");
    return [failed, why] { failed(why); };
  }
}

TaskPtr TaskList::start(QString label, Body body, bool shown, Failed failed) {
  auto task = std::make_shared<Task>();
  task->label = std::move(label);
  task->shown = shown;
  task->clock.start();
  tasks_.push_back(task);
  ++*in_flight_;
  const QPointer<TaskList> self(this);
  if (!failed)
    failed = [self](const Error& why) {
      if (self) emit self->problem(QString::fromStdString(why.message));
    };
  auto finish_here = [self, task, failed](const Finish& finish) {
    if (!self) return;
    std::erase(self->tasks_, task);
    task->ended = true;
    if (finish) {
      // In the window's thread an exception would end the window just the same.
      const Finish then = run_guarded(task->label,
                                      [&](const Work&) {
                                        finish();
                                        return Finish();
                                      },
                                      failed, {});
      if (then) then();
    }
    if (self) emit self->changed();
  };
  pool_.start([task, failed, finish_here, body = std::move(body), in_flight = in_flight_] {
    Work work;
    work.cancelled = &task->cancelled;
    work.progress = [task](int done, int total) {
      task->total = total;
      task->done = done;
    };
    Finish finish = run_guarded(task->label, body, failed, work);
    QMetaObject::invokeMethod(
        QCoreApplication::instance(),
        [finish_here, finish = std::move(finish)] { finish_here(finish); }, Qt::QueuedConnection);
    --*in_flight;
  });
  emit changed();
  return task;
}

}  // namespace tsukimi::app
