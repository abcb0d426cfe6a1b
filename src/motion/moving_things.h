// Things that go a long way between two pictures: a ship, a car. What dense flow loses, because it
// moves farther than it is wide, is found by its parts.
#pragma once

#include <opencv2/core.hpp>
#include <vector>

namespace tsukimi {

struct MovingThing {
  float dx = 0, dy = 0;  // from the first picture to the second, pixels
  cv::Mat in_a, in_b;    // CV_32F, 0..1: where it is in either
};

// Pictures: CV_32FC3, red, green, blue, 0..1 on a scale even to the eye, of one size. Parts that
// have changed are looked for in the other picture by normalised correlation (Lewis 1995); those
// that agree on a way are a thing, and it is where its way explains the other picture much better
// than standing still does. At most four, the largest first; the same for any number of threads.
std::vector<MovingThing> find_moving_things(const cv::Mat& a, const cv::Mat& b);

}  // namespace tsukimi
