// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/photo_scene.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/parallel.h"
#include "camera/sensor_frame.h"
#include "framing/geometry.h"
#include "image/colour.h"
#include "sim/noise.h"
#include "sim/scene.h"

namespace tsukimi::sim {
namespace {

// Of the height between `top` and `bottom` the middle in the shape that is wanted, resampled as by
// the camera itself so that no detail is finer than a pixel; the mean of all channels is 1: the
// light of the evening colours it.
Result<Image> photograph(const std::filesystem::path& file, double top, double bottom, Size size) {
  auto frame = read_frame(file);
  if (!frame) return tl::unexpected(frame.error());
  if (frame->is_mosaic()) return fail(file.string() + " is a raw file; give a photograph.");
  const Image& photo = frame->rgb;
  const double high = bottom - top, shape = static_cast<double>(size.width) / size.height,
               own = photo.width / (high * photo.height);
  Rect part{0, top, 1, high};
  if (own > shape)
    part.w = shape / own, part.x = (1 - part.w) / 2;
  else
    part.h = high * own / shape, part.y = top + (high - part.h) / 2;
  Image out = resample(photo, part, size);
  const Mat3 to_srgb = inverse(srgb_to_rec2020());
  double sum = 0;
  for (std::size_t i = 0; i < out.planes[0].data.size(); ++i) {
    Vec3 v{out.planes[0].data[i], out.planes[1].data[i], out.planes[2].data[i]};
    v = to_srgb * v;
    for (std::size_t c = 0; c < 3; ++c) {
      out.planes[c].data[i] = std::max(static_cast<float>(v[c]), 0.002f);
      sum += out.planes[c].data[i];
    }
  }
  const auto by = static_cast<float>(3 * static_cast<double>(out.planes[0].data.size()) / sum);
  for (Plane& p : out.planes)
    for (float& v : p.data) v *= by;
  return out;
}

// Mean over a box, twice: clouds have no edge on the ground.
Plane softened(const Plane& in, int radius) {
  Plane now = in;
  for (int round = 0; round < 2; ++round)
    for (const bool across : {true, false}) {
      Plane next(in.width, in.height);
      const int n = across ? in.width : in.height, lines = across ? in.height : in.width;
      for (int line = 0; line < lines; ++line) {
        auto at = [&](Plane& p, int i) -> float& {
          i = (i % n + n) % n;
          return across ? p.at(i, line) : p.at(line, i);
        };
        double sum = 0;
        for (int i = -radius; i <= radius; ++i) sum += at(now, i);
        for (int i = 0; i < n; ++i) {
          at(next, i) = static_cast<float>(sum / (2 * radius + 1));
          sum += at(now, i + radius + 1) - at(now, i - radius);
        }
      }
      now = std::move(next);
    }
  return now;
}

// Cubic B-spline with some Catmull-Rom, as the camera itself is wobbled: an even shift is exact.
void weights(float t, float k[4]) {
  const float u = 1 - t;
  const float crisp[4] = {0.5f * t * (-1 + t * (2 - t)), 0.5f * (2 + t * t * (-5 + 3 * t)),
                          0.5f * t * (1 + t * (4 - 3 * t)), 0.5f * t * t * (t - 1)};
  const float soft[4] = {u * u * u / 6, (4 - 6 * t * t + 3 * t * t * t) / 6,
                         (4 - 6 * u * u + 3 * u * u * u) / 6, t * t * t / 6};
  for (int i = 0; i < 4; ++i) k[i] = 0.25f * crisp[i] + 0.75f * soft[i];
}

// A row that goes round, moved to the right by `shift`.
void moved_row(const float* in, int n, double shift, int width, float* out) {
  const double from = -shift;
  const double whole = std::floor(from);
  float k[4];
  weights(static_cast<float>(from - whole), k);
  const long first = static_cast<long>(whole) - 1;
  for (int x = 0; x < width; ++x) {
    float sum = 0;
    for (int i = 0; i < 4; ++i) sum += k[i] * in[((first + x + i) % n + n) % n];
    out[x] = sum;
  }
}

}  // namespace

Result<PhotoScene> PhotoScene::make(Size size, const PhotoOptions& o, std::uint32_t seed,
                                    double interval) {
  PhotoScene out;
  out.size_ = size;
  out.options_ = o;
  out.seed_ = seed;
  out.interval_ = interval;
  // Of a landscape the sky is the upper part. Both reach beyond the skyline, which is not even.
  constexpr double kSkyOfPhoto = 0.42, kBeyond = 0.25;
  const auto rows = [&](double share) {
    return std::clamp(static_cast<int>(std::ceil(share * size.height)), 2, size.height);
  };
  const Size land{size.width, rows(o.strip * (1 + kBeyond) + 0.02)},
      air{size.width, rows(1 - o.strip * (1 - kBeyond) + 0.02)};
  auto ground = photograph(o.ground, 0, 1, land);
  if (!ground) return tl::unexpected(ground.error());
  auto sky = photograph(o.sky, 0, kSkyOfPhoto, air);
  if (!sky) return tl::unexpected(sky.error());
  out.ground_ = std::move(*ground);
  out.top_ = size.height - land.height;
  // Beside itself, turned about: it goes round without a seam.
  out.sky_ = Image(2 * size.width, air.height);
  for (std::size_t c = 0; c < 3; ++c)
    for (int y = 0; y < air.height; ++y) {
      const float* from = sky->planes[c].row(y);
      float* to = out.sky_.planes[c].row(y);
      std::copy_n(from, size.width, to);
      std::reverse_copy(from, from + size.width, to + size.width);
    }
  const Plane soft = softened(out.sky_.planes[1], std::max(4, size.width / 40));
  std::vector<float> sorted(soft.data.begin(), soft.data.end());
  std::ranges::sort(sorted);
  const float low = sorted[sorted.size() / 20], high = sorted[sorted.size() * 19 / 20];
  out.clouds_ = Plane(soft.width, soft.height);
  for (std::size_t i = 0; i < soft.data.size(); ++i)
    out.clouds_.data[i] =
        std::clamp((soft.data[i] - low) / std::max(high - low, 1e-3f), 0.0f, 1.0f);
  return out;
}

float PhotoScene::skyline(float x) const {
  const float u = x / static_cast<float>(size_.width);
  const float wave = fbm(5 * u, 0.5f, 4, seed_ * 7u + 3u) - 0.5f;
  return static_cast<float>(size_.height) *
         (1 - static_cast<float>(options_.strip) * (1 + 0.35f * wave));
}

Plane PhotoScene::open_sky() const {
  Plane out(size_.width, size_.height);
  for (int x = 0; x < size_.width; ++x) {
    const float edge = skyline(static_cast<float>(x));
    for (int y = 0; y < size_.height; ++y)
      out.at(x, y) = 1 - smoothstep(-0.8f, 0.8f, static_cast<float>(y) - edge);
  }
  return out;
}

double PhotoScene::sky_at(double seconds) const { return options_.clouds * seconds / interval_; }

std::array<double, 2> PhotoScene::ferry_at(double seconds) const {
  const double w = size_.width, begin = 0.2 * w;
  return {begin + options_.ferry * seconds / interval_, size_.height * (1 - options_.strip * 0.45)};
}

Image PhotoScene::render(double progress, double seconds) const {
  const Evening e = evening_at(progress);
  const Rgb on_ground = (e.sun * 0.6f + e.sky) * 0.16f,
            in_sky = (e.zenith * 0.5f + e.horizon * 0.5f + e.glow * 0.1f) * 0.9f;
  const float ground[3] = {on_ground.r, on_ground.g, on_ground.b},
              above[3] = {in_sky.r, in_sky.g, in_sky.b};
  const double gone = sky_at(seconds);
  const std::array<double, 2> ferry = ferry_at(seconds);
  const float half_w = 0.045f * static_cast<float>(size_.width),
              half_h = 0.022f * static_cast<float>(size_.width);
  Image out(size_.width, size_.height);
  std::vector<float> edges(static_cast<std::size_t>(size_.width));
  for (std::size_t x = 0; x < edges.size(); ++x) edges[x] = skyline(static_cast<float>(x));
  parallel_rows(size_.height, [&](int y0, int y1) {
    std::vector<float> sky(static_cast<std::size_t>(size_.width)), shade(sky.size());
    for (int y = y0; y < y1; ++y) {
      // Its shade lies on the ground as the clouds lie in the sky, seen from below.
      const int lies = std::clamp(size_.height - 1 - y, 0, clouds_.height - 1);
      moved_row(clouds_.row(lies), clouds_.width, gone, size_.width, shade.data());
      for (std::size_t c = 0; c < 3; ++c) {
        moved_row(sky_.planes[c].row(std::min(y, sky_.height - 1)), sky_.width, gone, size_.width,
                  sky.data());
        const float* land = ground_.planes[c].row(std::max(y - top_, 0));
        float* to = out.planes[c].row(y);
        for (int x = 0; x < size_.width; ++x) {
          const float edge = static_cast<float>(y) - edges[static_cast<std::size_t>(x)];
          const float cover = smoothstep(-0.8f, 0.8f, edge);
          const float lit = ground[c] * std::exp2(-static_cast<float>(options_.shade) *
                                                  shade[static_cast<std::size_t>(x)]);
          to[x] = lerp(sky[static_cast<std::size_t>(x)] * above[c], land[x] * lit, cover);
          if (options_.ferry == 0) continue;
          // Hull and deck house, with a texture that goes with them.
          const float px = static_cast<float>(x - ferry[0]), py = static_cast<float>(y - ferry[1]);
          auto inside = [](float d, float half) {
            return smoothstep(0.8f, -0.8f, std::fabs(d) - half);
          };
          const float hull = inside(px, half_w) * inside(py, 0.5f * half_h),
                      house = inside(px + 0.3f * half_w, 0.4f * half_w) *
                              inside(py + half_h, 0.5f * half_h);
          const float paint = 0.6f + 1.6f * fbm(0.11f * px + 40, 0.11f * py + 40, 3, seed_ + 91u);
          to[x] = lerp(to[x], ground[c] * paint * (c == 0 ? 1.3f : 0.8f), hull);
          to[x] = lerp(to[x], ground[c] * paint * 2.2f, house);
        }
      }
    }
  });
  return out;
}

}  // namespace tsukimi::sim
