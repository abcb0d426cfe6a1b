// SPDX-License-Identifier: GPL-3.0-or-later
#include "queue/run_queue.h"

#include <chrono>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#include "base/file.h"
#include "develop/display.h"
#include "document/files/shoot_file.h"
#include "framing/geometry.h"
#include "output/encode.h"

namespace tsukimi {
namespace {
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

// Tells how far a job is, in files that anybody may look at, and hears when it is to stop. A thread
// of its own: frames are not kept waiting.
class Desk {
 public:
  Desk(const Queue& queue, int id, const Work& work) : queue_(queue), work_(work) {
    now_.id = id;
    thread_ = std::thread([this] { run(); });
  }
  ~Desk() {
    {
      const std::lock_guard lock(mutex_);
      over_ = true;
    }
    wake_.notify_all();
    thread_.join();
  }
  const std::atomic<bool>& stop() const { return stop_; }
  int made() const { return made_; }
  double seconds() const { return made_in_; }

  void begin(const std::string& step) {
    const std::lock_guard lock(mutex_);
    now_.step = step;
    now_.done = now_.total = 0;
    now_.fps = 0;
    now_.seconds_left = -1;
    times_.clear();
    begun_ = Clock::now();
  }
  void report(int done, int total) {
    work_.report(done, total);
    const std::lock_guard lock(mutex_);
    // What was there already says nothing of how fast frames are made.
    if (now_.total > 0 && done > now_.done && now_.step == "exporting") {
      made_ += done - now_.done;
      made_in_ = seconds_since(begun_);
    }
    now_.done = done;
    now_.total = total;
    times_.emplace_back(Clock::now(), done);
    constexpr std::size_t kMost = 200;
    if (times_.size() > kMost) times_.pop_front();
    reckon();
  }
  void show(const Image& picture) {
    constexpr double kSeldom = 0.4;
    if (seconds_since(shown_) < kSeldom) return;
    shown_ = Clock::now();
    constexpr int kLongEdge = 240;
    const double scale =
        std::min(1.0, static_cast<double>(kLongEdge) / std::max(picture.width, picture.height));
    const Size size{std::max(1, static_cast<int>(picture.width * scale)),
                    std::max(1, static_cast<int>(picture.height * scale))};
    const auto bytes = encode_jpeg(to_srgb8(resample(picture, Rect{}, size)), 80);
    if (bytes) (void)write_file(queue_.picture(), *bytes, IfExists::replace, false);
  }

 private:
  void reckon() {
    const auto& [then, before] = times_.front();
    const double seconds = seconds_since(then);
    const int made = now_.done - before;
    constexpr double kEnough = 1;
    if (seconds < kEnough || made < 1) return;
    now_.fps = made / seconds;
    now_.seconds_left = (now_.total - now_.done) / now_.fps;
  }
  void write() {
    QueueProgress p;
    {
      const std::lock_guard lock(mutex_);
      p = now_;
    }
    const nlohmann::json j{{"id", p.id},       {"step", p.step}, {"done", p.done},
                           {"total", p.total}, {"fps", p.fps},   {"seconds_left", p.seconds_left}};
    const std::string text = j.dump() + "\n";
    (void)write_file(queue_.folder() / "progress.json",
                     {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()},
                     IfExists::replace, false);
  }
  void look() {
    if (work_.stop()) stop_ = true;
    const auto stamp = stamp_of(queue_.folder() / "queue.json");
    if (stamp && seen_ && stamp->same_file(*seen_)) return;
    seen_ = stamp;
    const auto jobs = queue_.list();
    if (!jobs) return;
    const auto job = std::ranges::find(*jobs, now_.id, &QueuedJob::id);
    if (job == jobs->end() || job->state != JobState::running) stop_ = true;
  }
  void run() {
    constexpr std::chrono::milliseconds kOften{200};
    std::unique_lock lock(mutex_);
    while (!over_) {
      lock.unlock();
      look();
      write();
      lock.lock();
      wake_.wait_for(lock, kOften, [&] { return over_; });
    }
  }

  const Queue& queue_;
  const Work& work_;
  std::mutex mutex_;
  std::condition_variable wake_;
  bool over_ = false;
  QueueProgress now_;
  std::deque<std::pair<Clock::time_point, int>> times_;
  std::atomic<bool> stop_{false};
  std::atomic<int> made_{0};
  std::atomic<double> made_in_{0};
  Clock::time_point begun_ = Clock::now();
  Clock::time_point shown_;
  std::optional<FileStamp> seen_;
  std::thread thread_;
};

// The first that waits, which runs from now on.
Result<std::optional<QueuedJob>> next_job(const Queue& queue) {
  std::optional<QueuedJob> out;
  const auto ok = queue.change([&](std::vector<QueuedJob>& jobs) -> Result<void> {
    for (QueuedJob& j : jobs) {
      if (j.state == JobState::running) j.state = JobState::waiting;  // of a runner that was killed
      if (out || j.state != JobState::waiting) continue;
      j.state = JobState::running;
      j.problem.clear();
      j.in_the_way = false;
      j.lacking.clear();
      out = j;
    }
    return {};
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

Result<JobReport> carry_out(const Queue& queue, const QueuedJob& job, Desk& desk) {
  auto shoot = open_shoot(queue.shoot_of(job.id));
  if (!shoot) return tl::unexpected(shoot.error());
  const Step step = [&](const char* what) {
    desk.begin(what);
    return Work{[&desk](int done, int total) { desk.report(done, total); }, &desk.stop()};
  };
  return run_export(*shoot, {}, job.job, step,
                    [&desk](int, const Image& picture) { desk.show(picture); });
}

std::string first_of(const std::vector<std::string>& problems) {
  if (problems.empty()) return {};
  const auto more = problems.size() - 1;
  return problems.front() + (more == 0 ? "" : " (and " + std::to_string(more) + " more)");
}

// Unless somebody said something else of it meanwhile.
Result<void> note_end(const Queue& queue, const QueuedJob& job, const Result<JobReport>& report,
                      const Desk& desk, bool cancelled) {
  return queue.change([&](std::vector<QueuedJob>& jobs) -> Result<void> {
    const auto at = std::ranges::find(jobs, job.id, &QueuedJob::id);
    if (at == jobs.end()) return {};
    if (desk.made() > 0) {
      at->made = desk.made();
      at->seconds = desk.seconds();
    }
    // What is complete is done, also when it was told to rest at the last moment.
    const bool done = report && report->complete();
    if (at->state != JobState::running && !done) return {};
    if (cancelled && !done) {
      at->state = JobState::waiting;
    } else if (!report) {
      at->state = JobState::failed;
      at->problem = report.error().message;
      at->in_the_way = report.error().code == ErrorCode::exists;
    } else {
      at->state = report->complete() ? JobState::done : JobState::failed;
      at->problem = first_of(report->problems);
      at->lacking = report->lacking();
      at->written = at->kept = 0;
      for (const auto& f : report->frames) at->written += f.written, at->kept += f.kept;
      for (const auto& f : report->films) at->written += f.encoded, at->kept += f.kept;
    }
    return {};
  });
}

}  // namespace

Result<QueueEnd> run_queue(const Queue& queue, const Work& work) {
  const auto runner = QueueRunner::take(queue);
  if (!runner) return tl::unexpected(runner.error());
  QueueEnd out;
  while (!work.stop()) {
    const auto job = next_job(queue);
    if (!job) return tl::unexpected(job.error());
    if (!*job) break;
    Result<JobReport> report = fail("");
    {
      Desk desk(queue, (*job)->id, work);
      try {
        report = carry_out(queue, **job, desk);
      } catch (...) {
        report = tl::unexpected(error_of(std::current_exception(), "The export failed"));
      }
      if (auto ok = note_end(queue, **job, report, desk, work.stop()); !ok)
        return tl::unexpected(ok.error());
    }
    if (report && report->complete())
      ++out.done;
    else if (work.stop() || (report && report->cancelled()))
      ++out.left;
    else
      ++out.failed;
  }
  return out;
}

}  // namespace tsukimi
