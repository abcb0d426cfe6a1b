#include "image/parallel.h"

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

namespace tsukimi {

void parallel_ranges(int count, int grain, const std::function<void(int, int)>& fn) {
  tbb::parallel_for(tbb::blocked_range<int>(0, count, grain),
                    [&](const tbb::blocked_range<int>& r) { fn(r.begin(), r.end()); });
}

ThreadLimit::ThreadLimit(int threads)
    : control_(new tbb::global_control(tbb::global_control::max_allowed_parallelism, threads)) {}

ThreadLimit::~ThreadLimit() { delete static_cast<tbb::global_control*>(control_); }

}  // namespace tsukimi
