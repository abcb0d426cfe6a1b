// SPDX-License-Identifier: GPL-3.0-or-later
// Something slow that is a step of something slower.
#pragma once

#include <algorithm>

#include "base/parallel.h"

namespace tsukimi {

// It goes from one hundredth of the whole to another. `whole` must outlive it.
inline Work part_of_work(const Work& whole, int from, int to) {
  return {[&whole, from, to](int done, int total) {
            whole.report(from + (to - from) * done / std::max(total, 1), 100);
          },
          whole.cancelled};
}

}  // namespace tsukimi
