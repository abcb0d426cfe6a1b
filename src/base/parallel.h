// SPDX-License-Identifier: GPL-3.0-or-later
// Work over rows or items on all cores, cancellation and progress. The split never changes a
// result: every row (item) is computed from its inputs alone.
#pragma once

#include <atomic>
#include <functional>
#include <string>

namespace tsukimi {

// Calls fn(first, last) on disjoint ranges that cover [0, count).
void parallel_ranges(int count, int grain, const std::function<void(int, int)>& fn);

inline void parallel_rows(int height, const std::function<void(int, int)>& fn) {
  parallel_ranges(height, 16, fn);
}

// Runs fn with all its parallel_ranges on this thread: for those who do several such things at
// once.
void on_one_thread(const std::function<void()>& fn);

// From now on this thread gets what others leave of the processor.
void stand_back();

// Limits the threads used by parallel_ranges for as long as it lives (tests of determinism).
class ThreadLimit {
 public:
  explicit ThreadLimit(int threads);
  ~ThreadLimit();
  ThreadLimit(const ThreadLimit&) = delete;
  ThreadLimit& operator=(const ThreadLimit&) = delete;

 private:
  void* control_;
};

// For programs that go through many proxies: the memory of pictures up to 30 MB stays with the
// process when it is freed, instead of being asked for anew, page by page. Called once.
void keep_freed_memory();

// Handed into everything slow. `done` of `total` is reported from any thread.
struct Work {
  std::function<void(int done, int total)> progress;
  const std::atomic<bool>* cancelled = nullptr;

  bool stop() const { return cancelled && cancelled->load(std::memory_order_relaxed); }
  void report(int done, int total) const {
    if (progress) progress(done, total);
  }
};

}  // namespace tsukimi
