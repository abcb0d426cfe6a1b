// SPDX-License-Identifier: GPL-3.0-or-later
// A picture between two others in time, with what moves on its way: motion-compensated.
//
// Dense optical flow both ways (DIS: Kroeger, Timofte, Dai & Van Gool, "Fast optical flow using
// dense inverse search", ECCV 2016) on small grey copies, carried forward to the moment between,
// where the better match wins and holes are filled from around (Baker et al., "A database and
// evaluation methodology for optical flow", IJCV 92, 2011, ch. 3.3.2). A point that only one of the
// two pictures shows is taken from that one; where neither agrees they are blended as they stand.
#pragma once

#include <memory>

#include "image/image.h"

namespace tsukimi {

// What moves from one picture to another is found once, for all moments between. a, b: linear
// light, one size; they outlive it. The same bytes for any number of threads.
class Between {
 public:
  Between(const Image& a, const Image& b);
  ~Between();
  Image at(double t) const;  // 0 gives a, 1 gives b

 private:
  struct Parts;
  const Image &a_, &b_;
  std::unique_ptr<Parts> parts_;
};
inline Image in_between(const Image& a, const Image& b, double t) { return Between(a, b).at(t); }

}  // namespace tsukimi
