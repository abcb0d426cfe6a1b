// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/object_shape.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <vector>

#include "motion/grid_cut.h"

namespace tsukimi {
namespace {

// Evidence in natural logarithms of probability. Capped: what does not fit at all (water under the
// hull, a lamp going on) is no stronger evidence than what hardly fits.
constexpr float kCap = 6, kPrior = 0.4f;
constexpr float kHidden = 2.5f, kUnsure = 0.25f;  // where neither shows what lies behind
constexpr float kBorder = 4;                      // cost of a border where nothing is seen of one
constexpr float kSeen = 0.02f;         // of white: a difference in colour that is a border
constexpr float kNoiseFloor = 0.003f;  // of white: noise below which nothing is told
constexpr float kDetail = 0.03f;       // share of a place's own contrast lost by resampling

// The pictures about the thing, in its own pixels (those of a), and whether they are there at all.
struct Patch {
  cv::Mat colour;  // CV_32FC3
  cv::Mat there;   // CV_32F, 0 or 1
};

Patch patch_of(const cv::Mat& picture, const cv::Rect& about, cv::Point2f by) {
  const cv::Mat m = (cv::Mat_<double>(2, 3) << 1, 0, about.x + by.x, 0, 1, about.y + by.y);
  Patch out;
  cv::warpAffine(picture, out.colour, m, about.size(), cv::INTER_CUBIC | cv::WARP_INVERSE_MAP,
                 cv::BORDER_REPLICATE);
  out.there = cv::Mat(about.size(), CV_32F);
  for (int y = 0; y < about.height; ++y)
    for (int x = 0; x < about.width; ++x) {
      const float px = static_cast<float>(x + about.x) + by.x,
                  py = static_cast<float>(y + about.y) + by.y;
      out.there.at<float>(y, x) = px >= 0 && py >= 0 &&
                                  px <= static_cast<float>(picture.cols - 1) &&
                                  py <= static_cast<float>(picture.rows - 1);
    }
  return out;
}

cv::Mat squares(const cv::Mat& colour) {
  cv::Mat out = colour.mul(colour);
  cv::transform(out, out, cv::Matx13f(1.0f / 3, 1.0f / 3, 1.0f / 3));
  return out;
}

// Squared difference of the two over the noise (a variance), at each place.
cv::Mat misfit(const Patch& a, const Patch& b, float noise) {
  const cv::Size around(3, 3);
  cv::Mat off = squares(a.colour - b.colour), mean, spread;
  cv::blur(off, off, around);
  cv::blur(a.colour, mean, around);
  cv::blur(squares(a.colour), spread, around);
  spread -= squares(mean);
  cv::Mat out(off.size(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x)
      out.at<float>(y, x) = std::min(
          off.at<float>(y, x) / (2 * (noise + kDetail * std::max(spread.at<float>(y, x), 0.0f))),
          kCap);
  return out;
}

// mask(q + by), 0 outside.
cv::Mat moved(const cv::Mat& mask, cv::Point2f by) {
  const cv::Mat m = (cv::Mat_<double>(2, 3) << 1, 0, by.x, 0, 1, by.y);
  cv::Mat out;
  cv::warpAffine(mask, out, m, mask.size(), cv::INTER_LINEAR | cv::WARP_INVERSE_MAP,
                 cv::BORDER_CONSTANT, cv::Scalar(0));
  return out;
}

// The labels with the smallest sum of costs: 1 the thing's. thing, behind: cost of either.
cv::Mat cut(const cv::Mat& object, const cv::Mat& behind, const cv::Mat& colour) {
  const int w = object.cols, h = object.rows;
  GridCut grid(w, h);
  auto border = [&](cv::Point p, cv::Point q) {
    const cv::Vec3f d = colour.at<cv::Vec3f>(p) - colour.at<cv::Vec3f>(q);
    return kBorder * (0.15f + 0.85f * std::exp(-d.dot(d) / (3 * kSeen * kSeen)));
  };
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      grid.set_costs(x, y, behind.at<float>(y, x), object.at<float>(y, x));
      if (x > 0) grid.set_right(x - 1, y, border({x, y}, {x - 1, y}));
      if (y > 0) grid.set_below(x, y - 1, border({x, y}, {x, y - 1}));
    }
  const auto labels = grid.solve();
  cv::Mat out(h, w, CV_32F);
  std::copy(labels.begin(), labels.end(), out.begin<float>());
  return out;
}

// Without the specks that lie about: what is much smaller than the largest part.
cv::Mat whole_parts(const cv::Mat& in) {
  constexpr double kShare = 0.1;
  cv::Mat labels, stats, middles, there = in > 0.5f;
  const int count = cv::connectedComponentsWithStats(there, labels, stats, middles);
  int most = 0;
  for (int k = 1; k < count; ++k) most = std::max(most, stats.at<int>(k, cv::CC_STAT_AREA));
  cv::Mat out = in.clone();
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const int k = labels.at<int>(y, x);
      if (k == 0 || stats.at<int>(k, cv::CC_STAT_AREA) < kShare * most) out.at<float>(y, x) = 0;
    }
  return out;
}

// What lies on the way between two parts of the thing is the thing: the middle of a hull of one
// colour lies on itself and has not changed. Steps along the way, from either side.
void fill_along(cv::Mat& shape, cv::Point2f way) {
  const float length = std::hypot(way.x, way.y);
  const cv::Point2f step(way.x / length, way.y / length);
  const cv::Mat sure = shape.clone();
  cv::dilate(sure, sure, cv::getStructuringElement(cv::MORPH_RECT, {3, 3}));
  auto meets = [&](cv::Point2f p, cv::Point2f by) {
    for (int k = 1; k <= static_cast<int>(length) + 8; ++k) {
      p += by;
      const cv::Point q(static_cast<int>(std::lround(p.x)), static_cast<int>(std::lround(p.y)));
      if (!cv::Rect({}, sure.size()).contains(q)) return false;
      if (sure.at<float>(q) > 0) return true;
    }
    return false;
  };
  for (int y = 0; y < shape.rows; ++y)
    for (int x = 0; x < shape.cols; ++x) {
      const cv::Point2f p(static_cast<float>(x), static_cast<float>(y));
      if (shape.at<float>(y, x) <= 0 && meets(p, step) && meets(p, -step))
        shape.at<float>(y, x) = 1;
    }
}

}  // namespace

float change_between(const cv::Mat& a, const cv::Mat& b, double share) {
  cv::Mat off = a - b;
  off = off.mul(off);
  std::vector<float> changes;
  for (int y = 4; y < a.rows; y += 8)
    for (int x = 4; x < a.cols; x += 8) {
      float sum = 0;
      for (int c = 0; c < a.channels(); ++c) sum += off.ptr<float>(y, x)[c];
      changes.push_back(sum / static_cast<float>(a.channels()));
    }
  if (changes.empty()) return 0;
  const auto at = changes.begin() +
                  static_cast<std::ptrdiff_t>(share * static_cast<double>(changes.size() - 1));
  std::nth_element(changes.begin(), at, changes.end());
  return *at;
}

ObjectShape object_shape(const cv::Mat& a, const cv::Mat& b, const cv::Mat& followed,
                         cv::Point2f way, const cv::Rect& about) {
  const Patch a_here = patch_of(a, about, {}), b_here = patch_of(b, about, {}),
              a_there = patch_of(a, about, way), b_there = patch_of(b, about, way);
  const float noise = kNoiseFloor * kNoiseFloor + change_between(a, b, 0.5);
  const cv::Mat along = misfit(a_here, b_there, noise), still_here = misfit(a_here, b_here, noise),
                still_there = misfit(a_there, b_there, noise),
                dense = misfit(a_here, patch_of(followed, about, {}), noise);
  // At first it is there only where it has changed at both ends.
  cv::Mat shape(about.size(), CV_32F);
  for (int y = 0; y < shape.rows; ++y)
    for (int x = 0; x < shape.cols; ++x)
      shape.at<float>(y, x) = along.at<float>(y, x) < 0.5f * std::min(still_here.at<float>(y, x),
                                                                      still_there.at<float>(y, x))
                                  ? 1.0f
                                  : 0.0f;
  fill_along(shape, way);
  // Borders are looked for in what is seen of it: over the edge of a that is b.
  cv::Mat guide = b_there.colour.clone();
  a_here.colour.copyTo(guide, a_here.there > 0);
  for (int pass = 0; pass < 3; ++pass) {
    // b shows the thing here where the thing was one way back; a shows it there one way on.
    const cv::Mat hides_b = moved(shape, -way), hides_a = moved(shape, way);
    cv::Mat object(about.size(), CV_32F), behind(about.size(), CV_32F);
    for (int y = 0; y < shape.rows; ++y)
      for (int x = 0; x < shape.cols; ++x) {
        const float in_a = a_here.there.at<float>(y, x), in_b = b_there.there.at<float>(y, x);
        const float here = in_a * (1 - hides_b.at<float>(y, x)),
                    there = in_b * (1 - hides_a.at<float>(y, x));
        // Over the border of either nothing is told: it goes on as it comes in.
        const bool both = in_a * in_b > 0;
        object.at<float>(y, x) = both ? kPrior + along.at<float>(y, x) : 0.0f;
        behind.at<float>(y, x) = both ? (here * still_here.at<float>(y, x) +
                                         there * still_there.at<float>(y, x) + kUnsure * kHidden) /
                                            (here + there + kUnsure)
                                      : 0.0f;
      }
    shape = whole_parts(cut(object, behind, guide));
  }
  ObjectShape out{shape};
  float places = 0;
  for (int y = 0; y < shape.rows; ++y)
    for (int x = 0; x < shape.cols; ++x) {
      if (shape.at<float>(y, x) * a_here.there.at<float>(y, x) * b_there.there.at<float>(y, x) <= 0)
        continue;
      places += 1;
      out.misfit += along.at<float>(y, x);
      out.misfit_followed += dense.at<float>(y, x);
      out.gain +=
          0.5f * (still_here.at<float>(y, x) + still_there.at<float>(y, x)) - along.at<float>(y, x);
    }
  out.misfit /= std::max(places, 1.0f);
  out.misfit_followed /= std::max(places, 1.0f);
  cv::GaussianBlur(out.mask, out.mask, {}, 0.7);
  return out;
}

}  // namespace tsukimi
