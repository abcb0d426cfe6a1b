// SPDX-License-Identifier: GPL-3.0-or-later
// Values between the pixels of OpenCV's pictures; borders are held.
#pragma once

#include <opencv2/core.hpp>

#include "image/bilinear.h"

namespace tsukimi {

template <typename T = float>
T bilinear(const cv::Mat& picture, float x, float y) {
  const Corners at(picture.cols, picture.rows, x, y);
  const T *above = picture.ptr<T>(at.y0), *below = picture.ptr<T>(at.y1);
  return mixed(above[at.x0], above[at.x1], below[at.x0], below[at.x1], at.tx, at.ty);
}

}  // namespace tsukimi
