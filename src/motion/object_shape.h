// SPDX-License-Identifier: GPL-3.0-or-later
// Where a thing is that goes its way between two pictures: its outline, by a minimum cut.
#pragma once

#include <opencv2/core.hpp>

#include "motion/moving_objects.h"

namespace tsukimi {

// Pictures as find_moving_objects has them; way from a to b, pixels; about: where it is looked for,
// in a's pixels (it may reach over the border: a thing that comes in). Each place is either the
// thing's (it looks in b, along the way, as in a) or what lies behind (a and b show the same where
// the thing hides neither); which of the two is decided for all places at once, with a border that
// runs where colours differ (Boykov & Jolly 2001); what the thing hides follows from the answer, so
// it is asked again (three times).
struct ObjectShape {
  cv::Mat mask;      // CV_32F, 0..1, as large as `about`
  float misfit = 0;  // how ill the two pictures fit along the way, mean: 0.5 is noise alone
  float misfit_followed = 0;  // and how ill b fits as dense flow brings it
  float gain = 0;             // what going explains better than standing still, sum over its places
                              // (both natural logarithms of probability)
};
ObjectShape object_shape(const cv::Mat& a, const cv::Mat& b, const cv::Mat& followed,
                         cv::Point2f way, const cv::Rect& about);

// What the two have between them, squared, mean over their channels: the value below which that
// share of the places is (every eighth pixel is looked at).
float change_between(const cv::Mat& a, const cv::Mat& b, double share);

}  // namespace tsukimi
