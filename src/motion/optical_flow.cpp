// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/optical_flow.h"

#include <algorithm>
#include <cmath>
#include <mutex>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "base/parallel.h"
#include "image/bilinear.h"
#include "image/colour.h"
#include "motion/bilinear.h"
#include "motion/moving_objects.h"

namespace tsukimi {
namespace {

constexpr int kFlowWidth = 960;  // long side of the copies on which the flow is measured

// A small copy on a scale that is even to the eye, so that shadows count too.
cv::Mat small_colours(const Image& image) {
  cv::Mat out(image.height, image.width, CV_32FC3);
  for (int y = 0; y < image.height; ++y)
    for (int x = 0; x < image.width; ++x)
      for (int c = 0; c < 3; ++c)
        out.at<cv::Vec3f>(y, x)[c] = std::sqrt(std::clamp(image.planes[c].at(x, y), 0.0f, 1.0f));
  const double scale =
      std::min(1.0, static_cast<double>(kFlowWidth) / std::max(out.cols, out.rows));
  if (scale < 1) cv::resize(out, out, {}, scale, scale, cv::INTER_AREA);
  return out;
}

// Their luminance, on that scale.
cv::Mat light_of(const cv::Mat& colours) {
  cv::Mat out(colours.size(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const auto& c = colours.at<cv::Vec3f>(y, x);
      out.at<float>(y, x) =
          std::sqrt(kLumaR * c[0] * c[0] + kLumaG * c[1] * c[1] + kLumaB * c[2] * c[2]);
    }
  return out;
}

struct Vec {
  float x, y;
};

Vec sample(const cv::Mat& flow, float x, float y) {
  const auto at = bilinear<cv::Vec2f>(flow, x, y);
  return {at[0], at[1]};
}

// Catmull-Rom along both axes, edges repeated.
float sample(const Plane& p, float x, float y) {
  const Corners at(p.width, p.height, x, y);
  auto weights = [](float t, float w[4]) {
    w[0] = 0.5f * t * (-1 + t * (2 - t));
    w[1] = 0.5f * (2 + t * t * (-5 + 3 * t));
    w[2] = 0.5f * t * (1 + t * (4 - 3 * t));
    w[3] = 0.5f * t * t * (t - 1);
  };
  float wx[4], wy[4];
  weights(at.tx, wx);
  weights(at.ty, wy);
  float sum = 0;
  for (int j = 0; j < 4; ++j) {
    const float* row = p.row(std::clamp(at.y0 + j - 1, 0, p.height - 1));
    float line = 0;
    for (int i = 0; i < 4; ++i) line += wx[i] * row[std::clamp(at.x0 + i - 1, 0, p.width - 1)];
    sum += wy[j] * line;
  }
  return sum;
}

bool inside(const Image& image, float x, float y) {
  return x >= 0 && y >= 0 && x <= static_cast<float>(image.width - 1) &&
         y <= static_cast<float>(image.height - 1);
}

// The flow from a to b as it stands at moment t, from both flows.
cv::Mat flow_between(const cv::Mat grey[2], const cv::Mat flow[2], float t) {
  const int w = grey[0].cols, h = grey[0].rows;
  cv::Mat out(h, w, CV_32FC2, cv::Scalar(0, 0)), error(h, w, CV_32F, cv::Scalar(1e9f));
  for (int k = 0; k < 2; ++k) {
    const float way = k == 0 ? t : 1 - t, sign = k == 0 ? 1.0f : -1.0f;
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const auto& f = flow[k].at<cv::Vec2f>(y, x);
        const int bx = std::clamp(static_cast<int>(std::lround(static_cast<float>(x) + f[0])), 0,
                                  w - 1),
                  by = std::clamp(static_cast<int>(std::lround(static_cast<float>(y) + f[1])), 0,
                                  h - 1);
        const float match = std::fabs(static_cast<float>(grey[k].at<std::uint8_t>(y, x)) -
                                      static_cast<float>(grey[1 - k].at<std::uint8_t>(by, bx)));
        const float tx = static_cast<float>(x) + way * f[0],
                    ty = static_cast<float>(y) + way * f[1];
        for (int j = 0; j < 2; ++j)
          for (int i = 0; i < 2; ++i) {
            const int px = static_cast<int>(std::floor(tx)) + i,
                      py = static_cast<int>(std::floor(ty)) + j;
            if (px < 0 || py < 0 || px >= w || py >= h || match >= error.at<float>(py, px))
              continue;
            error.at<float>(py, px) = match;
            out.at<cv::Vec2f>(py, px) = {sign * f[0], sign * f[1]};
          }
      }
  }
  // Holes: from the left, then from above, whichever side is known.
  for (int pass = 0; pass < 2; ++pass)
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const int cx = pass ? w - 1 - x : x, cy = pass ? h - 1 - y : y, step = pass ? 1 : -1;
        if (error.at<float>(cy, cx) < 1e9f) continue;
        const int nx = cx + step, ny = cy + step;
        const bool side = nx >= 0 && nx < w && error.at<float>(cy, nx) < 1e9f;
        const bool row = ny >= 0 && ny < h && error.at<float>(ny, cx) < 1e9f;
        if (!side && !row) continue;
        out.at<cv::Vec2f>(cy, cx) = side ? out.at<cv::Vec2f>(cy, nx) : out.at<cv::Vec2f>(ny, cx);
        error.at<float>(cy, cx) = 1e8f;
      }
  return out;
}

// b as the flow from a brings it to a.
cv::Mat brought(const cv::Mat& b, const cv::Mat& flow) {
  cv::Mat from(flow.size(), CV_32FC2), out;
  for (int y = 0; y < flow.rows; ++y)
    for (int x = 0; x < flow.cols; ++x)
      from.at<cv::Vec2f>(y, x) =
          flow.at<cv::Vec2f>(y, x) + cv::Vec2f(static_cast<float>(x), static_cast<float>(y));
  cv::remap(b, out, from, cv::noArray(), cv::INTER_CUBIC, cv::BORDER_REPLICATE);
  return out;
}

// 1 where flow at a place is the one expected, falling to 0 within a pixel or two.
float agrees(const Vec& flow, float x, float y) {
  const float off = (flow.x - x) * (flow.x - x) + (flow.y - y) * (flow.y - y);
  return std::exp(-0.35f * off);
}

// 0..1: how far the flow changes more, against dissolving, than is left between the two pictures
// along it. light: what has changed for all of a place alike does not count as left.
cv::Mat explained(const cv::Mat& differs, const cv::Mat& along, int around, float doubt,
                  bool light) {
  constexpr float kFull = 0.6f, kUnseen = 3e-6f;
  const cv::Size size(around, around);
  cv::Mat mean, left = along.mul(along), seen;
  cv::blur(left, left, size);
  cv::blur(differs, seen, size);
  if (light) {
    cv::blur(along, mean, size);
    left -= mean.mul(mean);
  }
  cv::Mat out(along.size(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const float share =
          doubt * (left.at<float>(y, x) + kUnseen) / (seen.at<float>(y, x) + 1e-12f);
      out.at<float>(y, x) = std::clamp((1 - share) / kFull, 0.0f, 1.0f);
    }
  return out;
}

// How each picture takes part at a place: x the share of b, y how far the flow is to be trusted.
// Smooth, so that no patchwork is seen where the two differ in light.
//
// Trusted it is where it makes more of a difference against dissolving than the two pictures have
// between them along it: at slow and soft things dissolving is as right and less noisy, at water,
// and at what comes out from behind, neither is.
cv::Mat weights_between(const cv::Mat light[2], const cv::Mat flow[2], const cv::Mat& middle,
                        float t) {
  cv::Mat out(middle.size(), CV_32FC2), differs(middle.size(), CV_32F),
      along(middle.size(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const auto& u = middle.at<cv::Vec2f>(y, x);
      const auto px = static_cast<float>(x), py = static_cast<float>(y);
      const float ax = px - t * u[0], ay = py - t * u[1], bx = px + (1 - t) * u[0],
                  by = py + (1 - t) * u[1];
      const Vec ab = sample(flow[0], ax, ay), ba = sample(flow[1], bx, by);
      const float sees_a = agrees(ab, u[0], u[1]), sees_b = agrees(ba, -u[0], -u[1]);
      const float in_a = (1 - t) * sees_a, in_b = t * sees_b;
      const float known = in_a + in_b;
      // Seen in both, and where the flow of each says.
      const float agreed = std::min(sees_a, sees_b);
      out.at<cv::Vec2f>(y, x) = {known > 1e-6f ? in_b / known : t, agreed};
      const float from_a = bilinear(light[0], ax, ay), from_b = bilinear(light[1], bx, by);
      const float share = out.at<cv::Vec2f>(y, x)[0];
      const float moved = (1 - share) * from_a + share * from_b,
                  still = (1 - t) * light[0].at<float>(y, x) + t * light[1].at<float>(y, x);
      differs.at<float>(y, x) = (moved - still) * (moved - still);
      along.at<float>(y, x) = from_a - from_b;
    }
  // What moves moves as its neighbours do, and in water each ripple finds its own way: an even flow
  // has to explain less than one that is not.
  constexpr int kNear = 9, kAround = 21, kWide = 31;  // pixels of the small copies
  constexpr float kUneven = 0.01f, kStill = 0.05f, kDoubt = 1, kDoubtUneven = 2.7f;
  const cv::Mat near = explained(differs, along, kNear, kDoubtUneven, false),
                around = explained(differs, along, kAround, kDoubt, true);
  cv::Mat way, square = middle.mul(middle);
  cv::blur(middle, way, {kWide, kWide});
  cv::blur(square, square, {kWide, kWide});
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const auto &m = way.at<cv::Vec2f>(y, x), &q = square.at<cv::Vec2f>(y, x);
      const float scatter = q[0] + q[1] - m.dot(m);
      const float even = std::clamp(2 - 2 * scatter / (kUneven * m.dot(m) + kStill), 0.0f, 1.0f);
      out.at<cv::Vec2f>(y, x)[1] *= std::max(even * around.at<float>(y, x), near.at<float>(y, x));
    }
  cv::GaussianBlur(out, out, {}, 1.5);
  return out;
}

}  // namespace

struct Between::Parts {
  cv::Mat light[2], grey[2], flow[2];  // small; flow from a to b, from b to a
  std::vector<MovingObject> objects;
};

Between::Between(const Image& a, const Image& b) : a_(a), b_(b), parts_(std::make_unique<Parts>()) {
  // The flow depends on how OpenCV splits the picture over its threads; alone it is repeatable.
  static std::once_flag once;
  std::call_once(once, [] { cv::setNumThreads(1); });
  auto &light = parts_->light, &grey = parts_->grey, &flow = parts_->flow;
  auto& objects = parts_->objects;
  const cv::Mat colours[2] = {small_colours(a), small_colours(b)};
  for (int k = 0; k < 2; ++k) light[k] = light_of(colours[k]);
  // 8 bit, scaled so that all of their range is used.
  double most = 0;
  for (const cv::Mat& m : light) {
    double high = 0;
    cv::minMaxLoc(m, nullptr, &high);
    most = std::max(most, high);
  }
  for (int k = 0; k < 2; ++k) light[k].convertTo(grey[k], CV_8U, 255 / std::max(most, 1e-3));
  if (grey[0].cols >= 32 && grey[0].rows >= 32)
    parallel_ranges(2, 1, [&](int first, int last) {
      for (int k = first; k < last; ++k)
        cv::DISOpticalFlow::create(cv::DISOpticalFlow::PRESET_MEDIUM)
            ->calc(grey[k], grey[1 - k], flow[k]);
    });
  else
    flow[0] = flow[1] = cv::Mat(grey[0].size(), CV_32FC2, cv::Scalar(0, 0));
  if (grey[0].cols >= 64 && grey[0].rows >= 64)
    objects = find_moving_objects(colours[0], colours[1], brought(colours[1], flow[0]));
}

Between::~Between() = default;

Image Between::at(double t) const {
  const Image &a = a_, &b = b_;
  if (t <= 0) return a;
  if (t >= 1) return b;
  const auto &light = parts_->light, &grey = parts_->grey, &flow = parts_->flow;
  const auto& objects = parts_->objects;
  const auto k = static_cast<float>(t);
  const cv::Mat middle = flow_between(grey, flow, k),
                weights = weights_between(light, flow, middle, k);
  const float scale_x = static_cast<float>(a.width) / static_cast<float>(grey[0].cols),
              scale_y = static_cast<float>(a.height) / static_cast<float>(grey[0].rows);
  Image out(a.width, a.height);
  parallel_rows(a.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < a.width; ++x) {
        const float sx = (static_cast<float>(x) + 0.5f) / scale_x - 0.5f,
                    sy = (static_cast<float>(y) + 0.5f) / scale_y - 0.5f;
        const Vec u = sample(middle, sx, sy);
        const Vec weight = sample(weights, sx, sy);
        const float share = weight.x, sure = weight.y;
        const auto px = static_cast<float>(x), py = static_cast<float>(y);
        // How much of each thing is there at this moment; and whether it hides what lies behind it
        // in one of the two alone.
        float there[kMostObjects] = {}, hidden_a = 0, hidden_b = 0;
        for (std::size_t n = 0; n < objects.size(); ++n) {
          there[n] = objects[n].at(sx, sy, k);
          hidden_a = std::max(hidden_a, objects[n].at(sx, sy, 0));
          hidden_b = std::max(hidden_b, objects[n].at(sx, sy, 1));
        }
        const float only_b = hidden_a * (1 - hidden_b), only_a = hidden_b * (1 - hidden_a);
        for (int c = 0; c < 3; ++c) {
          const float in_a = a.planes[c].at(x, y), in_b = b.planes[c].at(x, y);
          const float still = (1 - k) * in_a + k * in_b;
          const float from_a = sample(a.planes[c], px - k * u.x * scale_x, py - k * u.y * scale_y),
                      from_b = sample(b.planes[c], px + (1 - k) * u.x * scale_x,
                                      py + (1 - k) * u.y * scale_y);
          const float moved = (1 - share) * from_a + share * from_b;
          float value = sure * moved + (1 - sure) * still;
          value += only_b * (in_b - value);
          value += only_a * (in_a - value);
          for (std::size_t n = 0; n < objects.size(); ++n) {
            if (there[n] <= 0) continue;
            const float dx = objects[n].way.x * scale_x, dy = objects[n].way.y * scale_y;
            const float ax = px - k * dx, ay = py - k * dy, bx = px + (1 - k) * dx,
                        by = py + (1 - k) * dy;
            // What comes in over the border is in one of the two alone.
            float part = k;
            if (!inside(a, ax, ay)) part = 1;
            if (!inside(b, bx, by)) part = 0;
            const float gone =
                (1 - part) * sample(a.planes[c], ax, ay) + part * sample(b.planes[c], bx, by);
            value += there[n] * (gone - value);
          }
          out.planes[c].at(x, y) = value;
        }
      }
  });
  return out;
}

}  // namespace tsukimi
