// A value between the pixels of a one-channel picture (CV_32F); borders are held.
#pragma once

#include <opencv2/core.hpp>

#include "image/corners.h"

namespace tsukimi {

inline float bilinear(const cv::Mat& picture, float x, float y) {
  const auto [x0, y0, x1, y1, fx, fy] = Corners(picture.cols, picture.rows, x, y);
  const float top = picture.at<float>(y0, x0) * (1 - fx) + picture.at<float>(y0, x1) * fx,
              bottom = picture.at<float>(y1, x0) * (1 - fx) + picture.at<float>(y1, x1) * fx;
  return top * (1 - fy) + bottom * fy;
}

}  // namespace tsukimi
