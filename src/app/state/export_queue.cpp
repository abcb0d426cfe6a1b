// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/export_queue.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QProcess>
#include <QStandardPaths>

#include "app/state/preferences.h"

namespace tsukimi::app {
namespace {

// Installed beside the window's own program, or where it was built.
QString runner_program() {
  const QString name = "tsukimi-batch", here = QCoreApplication::applicationDirPath();
  for (const QString& folder : {here, here + "/..", here + "/../src"})
    if (const QFileInfo file(folder + "/" + name); file.isExecutable() && file.isFile())
      return file.absoluteFilePath();
  return QStandardPaths::findExecutable(name);
}

}  // namespace

ExportQueue::ExportQueue(TaskList& tasks) : tasks_(tasks) {
  connect(&poll_, &QTimer::timeout, this, &ExportQueue::look);
  look();
}

const QueuedJob* ExportQueue::job(int id) const {
  const auto at = std::ranges::find(jobs_, id, &QueuedJob::id);
  return at == jobs_.end() ? nullptr : &*at;
}

bool ExportQueue::idle() const {
  return !changing() && std::ranges::none_of(jobs_, [](const QueuedJob& j) {
    return j.state == JobState::waiting || j.state == JobState::running;
  });
}

void ExportQueue::look() {
  const bool ran = std::exchange(running_, queue_.is_running());
  const auto stamp = stamp_of(queue_.folder() / "queue.json");
  const bool same = read_ && stamp.has_value() == seen_.has_value() &&
                    (!stamp || stamp->same_file(*seen_)) && ran == running_;
  const auto before = std::exchange(progress_, queue_.progress());
  // Whoever worked on it may have left at the moment when something was added. One that was killed
  // is not followed by another unasked: the job may be what killed it.
  constexpr int kComesUp = 3000;
  if (interrupted() || idle()) wanted_ = false;
  if (wanted_ && !running_ && !changing() && !idle() && launched_.hasExpired(kComesUp)) launch();
  // Something may be about to begin, or somebody else may add something.
  constexpr int kOften = 250, kSeldom = 1500;
  poll_.start(running_ || !idle() ? kOften : kSeldom);
  if (same) {
    if (running_ || before) emit progressed();
    return;
  }
  seen_ = stamp;
  const auto jobs = queue_.list();
  if (!jobs) {
    if (std::exchange(read_, true)) return;
    emit problem(QString::fromStdString(jobs.error().message));
    return;
  }
  const auto old = std::exchange(jobs_, *jobs);
  const bool first = !std::exchange(read_, true);
  emit changed();
  if (first) return;
  for (const QueuedJob& j : *jobs) {
    const auto was = std::ranges::find(old, j.id, &QueuedJob::id);
    if (j.ended() && (was == old.end() || was->state != j.state)) emit ended(j.id);
  }
}

bool ExportQueue::interrupted() const {
  return !running_ && std::ranges::any_of(jobs_, &QueuedJob::interrupted);
}

void ExportQueue::start() {
  wanted_ = true;
  if (!running_) launch();
}

void ExportQueue::launch() {
  launched_.start();
  const QString program = runner_program();
  const Preferences wanted = Preferences::read();
  QStringList words{"queue", "run"};
  if (wanted.notify) words << "--notify";
  if (wanted.notify && wanted.sound) words << "--sound";
  words << "--cache-gb" << QString::number(wanted.cache_gb);
  if (!wanted.cache.empty()) words << "--cache" << QFile::decodeName(wanted.cache.c_str());
  if (wanted.threads > 0) words << "--threads" << QString::number(wanted.threads);
  QProcess runner;
  runner.setProgram(program);
  runner.setArguments(words);
  runner.setStandardOutputFile(QProcess::nullDevice());
  runner.setStandardErrorFile(QProcess::nullDevice());
  if (program.isEmpty() || !runner.startDetached())
    emit problem(
        tr("The program tsukimi-batch, which makes exports, was not found beside this one."));
  constexpr int kSoon = 100;
  poll_.start(kSoon);
}

void ExportQueue::in_turn(std::function<void()> begin) {
  steps_.push_back(std::move(begin));
  if (steps_.size() == 1) steps_.front()();
}

void ExportQueue::step_ended() {
  steps_.pop_front();
  look();
  if (!steps_.empty()) steps_.front()();
}

void ExportQueue::add(const Shoot& shoot, const QString& name, const ExportJob& job,
                      std::function<void(Result<int>)> then) {
  auto ended = [this, then](Result<int> id) {
    step_ended();
    if (id) start();
    then(std::move(id));
  };
  in_turn([this, shoot, name = name.toStdString(), job, ended] {
    tasks_.start(
        tr("Adding to the queue"),
        [queue = queue_, shoot, name, job, ended](const Work&) mutable -> TaskList::Finish {
          auto id = std::make_shared<Result<int>>(queue.add(shoot, name, job));
          return [id, ended] { ended(std::move(*id)); };
        },
        false, [ended](const Error& why) { ended(tl::unexpected(why)); });
  });
}

void ExportQueue::change(std::function<Result<void>(Queue&)> how, bool then_start) {
  auto ended = [this, then_start](const Result<void>& done) {
    step_ended();
    if (!done) emit problem(QString::fromStdString(done.error().message));
    if (done && then_start) start();
    emit changed();
  };
  in_turn([this, how, ended] {
    tasks_.start(
        tr("Changing the queue"),
        [queue = queue_, how, ended](const Work&) mutable -> TaskList::Finish {
          const auto done = how(queue);
          return [done, ended] { ended(done); };
        },
        false, [ended](const Error& why) { ended(tl::unexpected(why)); });
  });
}

void ExportQueue::each_unfinished(Result<void> (Queue::*how)(int)) {
  change([how](Queue& q) -> Result<void> {
    const auto jobs = q.list();
    if (!jobs) return tl::unexpected(jobs.error());
    for (const QueuedJob& j : *jobs)
      if (j.state == JobState::waiting || j.state == JobState::running) (void)(q.*how)(j.id);
    return {};
  });
}

void ExportQueue::pause_all() { each_unfinished(&Queue::pause); }
void ExportQueue::cancel_all() { each_unfinished(&Queue::cancel); }

}  // namespace tsukimi::app
