// SPDX-License-Identifier: GPL-3.0-or-later
// Objects that go a long way between two pictures: a ship, a car. Dense flow loses what moves
// farther than it is wide; it is found by its parts here.
#pragma once

#include <opencv2/core.hpp>
#include <vector>

namespace tsukimi {

constexpr std::size_t kMostObjects = 4;

struct MovingObject {
  cv::Point2f way;   // from the first picture to the second, pixels
  cv::Mat shape;     // CV_32F, 0..1: how far a place in the first is the thing's
  cv::Point corner;  // of the shape in the first picture; it may lie outside

  // 0..1: whether it is at (x, y) when it has gone that share of its way.
  float at(float x, float y, float share) const;
};

// Pictures: CV_32FC3, red, green, blue, 0..1 on a scale even to the eye, of one size. Parts that
// have changed are looked for in the other picture by normalised correlation (Lewis 1995); those
// that agree on a way are an object; its outline is found for all places at once
// (motion/object_shape.h). followed: b as dense flow brings it to a; what that explains as well is
// no object (a cloud, which changes its shape). At most kMostObjects, the largest first; the same
// for any number of threads.
std::vector<MovingObject> find_moving_objects(const cv::Mat& a, const cv::Mat& b,
                                              const cv::Mat& followed);

}  // namespace tsukimi
