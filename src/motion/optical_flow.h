// A picture between two others in time, with what moves on its way: motion-compensated.
//
// Dense optical flow both ways (DIS: Kroeger, Timofte, Dai & Van Gool, "Fast optical flow using
// dense inverse search", ECCV 2016) on small grey copies, carried forward to the moment between,
// where the better match wins and holes are filled from around (Baker et al., "A database and
// evaluation methodology for optical flow", IJCV 92, 2011, ch. 3.3.2). A point that only one of the
// two pictures shows is taken from that one; where neither agrees they are blended as they stand.
#pragma once

#include "image/image.h"

namespace tsukimi {

// a, b: linear light, one size. t: 0 gives a, 1 gives b. The same bytes for any number of threads.
Image in_between(const Image& a, const Image& b, double t);

}  // namespace tsukimi
