// SPDX-License-Identifier: GPL-3.0-or-later
// The outline of an object that moves between two pictures, by a minimum cut.
#pragma once

#include <opencv2/core.hpp>

#include "motion/moving_objects.h"

namespace tsukimi {

// Pictures as find_moving_objects has them; way from a to b, pixels; about: where it is looked for,
// in a's pixels (it may reach over the border: an object that comes in). Each place is either the
// object's (it looks in b, along the way, as in a) or what lies behind (a and b show the same where
// the object hides neither); which of the two is decided for all places at once, with a border that
// runs where colours differ (Boykov & Jolly 2001); what the object hides follows from the answer,
// so it is asked again (three times).
struct ObjectShape {
  cv::Mat mask;  // CV_32F, 0..1, as large as `about`
  // Mean squared difference of the two along the way over the noise: 0.5 is noise alone; and that
  // of b as dense flow brings it to a.
  float misfit = 0, misfit_followed = 0;
  // Natural logarithm of how much likelier moving is than standing still, summed over its places.
  float gain = 0;
};
ObjectShape object_shape(const cv::Mat& a, const cv::Mat& b, const cv::Mat& followed,
                         cv::Point2f way, const cv::Rect& about);

// What the two have between them, squared, mean over their channels: the value below which that
// share of the places is (every eighth pixel is looked at).
float change_between(const cv::Mat& a, const cv::Mat& b, double share);

}  // namespace tsukimi
