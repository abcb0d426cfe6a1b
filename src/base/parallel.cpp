// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/parallel.h"

#include <malloc.h>
#include <sys/resource.h>
#include <unistd.h>

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

namespace tsukimi {

void parallel_ranges(int count, int grain, const std::function<void(int, int)>& fn) {
  tbb::parallel_for(tbb::blocked_range<int>(0, count, grain),
                    [&](const tbb::blocked_range<int>& r) { fn(r.begin(), r.end()); });
}

void on_one_thread(const std::function<void()>& fn) {
  tbb::task_arena arena(1);
  arena.execute(fn);
}

void stand_back() {
  // On Linux a thread has a niceness of its own.
  constexpr int kNice = 10;
  (void)setpriority(PRIO_PROCESS, static_cast<id_t>(gettid()), kNice);
}

ThreadLimit::ThreadLimit(int threads)
    : control_(new tbb::global_control(tbb::global_control::max_allowed_parallelism, threads)) {}

ThreadLimit::~ThreadLimit() { delete static_cast<tbb::global_control*>(control_); }

void keep_freed_memory() {
  // Planes of whole frames (96 MB at 24 megapixels) are given back all the same: kept, they would
  // lie between others and double the peak.
  constexpr int kMB = 1 << 20;
  mallopt(M_MMAP_THRESHOLD, 30 * kMB);
  mallopt(M_TRIM_THRESHOLD, 256 * kMB);
  mallopt(M_TOP_PAD, 16 * kMB);
}

}  // namespace tsukimi
