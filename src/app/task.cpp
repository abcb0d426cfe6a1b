#include "app/task.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThread>
#include <QThreadPool>
#include <algorithm>

namespace tsukimi::app {

QString Task::time_left() const {
  const int d = done, t = total;
  if (d < 3 || t <= 0 || clock.elapsed() < 700) return {};
  const qint64 left = clock.elapsed() * (t - d) / d / 1000;
  return left >= 90 ? QString("%1 min left").arg((left + 30) / 60)
                    : QString("%1 s left").arg(left + 1);
}

TaskList::TaskList(QObject* parent) : QObject(parent) {}

TaskList::~TaskList() {
  cancel_all();
  while (*in_flight_ > 0) QThread::msleep(2);
}

void TaskList::cancel_all() {
  for (auto& t : tasks_) t->cancelled = true;
}

std::shared_ptr<Task> TaskList::start(QString label, Body body, bool shown) {
  auto task = std::make_shared<Task>();
  task->label = std::move(label);
  task->shown = shown;
  task->clock.start();
  tasks_.push_back(task);
  ++*in_flight_;
  const QPointer<TaskList> self(this);
  QThreadPool::globalInstance()->start(
      [self, task, body = std::move(body), in_flight = in_flight_] {
        Work work;
        work.cancelled = &task->cancelled;
        work.progress = [task](int done, int total) {
          task->total = total;
          task->done = done;
        };
        Finish finish = body(work);
        QMetaObject::invokeMethod(
            QCoreApplication::instance(),
            [self, task, finish = std::move(finish)] {
              if (!self) return;
              std::erase(self->tasks_, task);
              if (finish) finish();
              emit self->changed();
            },
            Qt::QueuedConnection);
        --*in_flight;
      });
  emit changed();
  return task;
}

}  // namespace tsukimi::app
