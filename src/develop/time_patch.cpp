// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/time_patch.h"

#include <algorithm>
#include <cmath>

#include "develop/demosaic.h"
#include "image/lanczos.h"

namespace tsukimi {
namespace {

// Light between the pixels of a part of a picture whose upper left pixel is (left, top).
class Between {
 public:
  Between(const Image& part, int left, int top) : part_(part), left_(left), top_(top) {}
  // (x, y): 0 is the upper left corner of the whole picture's first pixel.
  float at(int colour, double x, double y) const {
    const double cx = x - 0.5 - left_, cy = y - 0.5 - top_;
    const int px = static_cast<int>(std::floor(cx)), py = static_cast<int>(std::floor(cy));
    float across[6], down[6];
    weights(static_cast<float>(cx - px), across);
    weights(static_cast<float>(cy - py), down);
    const Plane& p = part_.planes[static_cast<std::size_t>(colour)];
    float sum = 0;
    for (int j = 0; j < 6; ++j) {
      const float* row = p.row(std::clamp(py + j - 2, 0, p.height - 1));
      float line = 0;
      for (int i = 0; i < 6; ++i) line += across[i] * row[std::clamp(px + i - 2, 0, p.width - 1)];
      sum += down[j] * line;
    }
    return sum;
  }

 private:
  static void weights(float t, float* out) {
    static const LanczosTaps taps(1, 3);
    const float* c = taps.coefficients.data();
    for (int k = 0; k < 6; ++k, c += LanczosTaps::kDegree + 1)
      out[k] = c[0] + t * (c[1] + t * (c[2] + t * c[3]));
  }
  const Image& part_;
  int left_, top_;
};

constexpr int kReach = 4;  // pixels that light between pixels is made of, on either side

// What of a picture goes into a patch, in whole patterns of a mosaic.
struct Needed {
  int x0, y0, x1, y1;
  Needed(const PatchPlace& p, const PlaceIn& to, Size size) {
    Bounds b;
    for (int x : {p.x0, p.x1})
      for (int y : {p.y0, p.y1}) b.add(to(x, y));
    auto inside = [](double at, int most) {
      return static_cast<int>(std::clamp(at, 0.0, static_cast<double>(most)));
    };
    x0 = std::min(inside(b.left - kReach, size.width), size.width - 4) & ~1;
    y0 = std::min(inside(b.top - kReach, size.height), size.height - 4) & ~1;
    x1 = std::max((inside(b.right + kReach, size.width) + 1) & ~1, x0 + 4);
    y1 = std::max((inside(b.bottom + kReach, size.height) + 1) & ~1, y0 + 4);
    x1 = std::min(x1, size.width), y1 = std::min(y1, size.height);
  }
};

// part: of the picture, from (left, top) on.
TimePatch moved_patch(const Image& part, int left, int top, const PatchPlace& p,
                      const PlaceIn& to) {
  TimePatch out{p.x0, p.y0, Image(p.x1 - p.x0, p.y1 - p.y0)};
  const Between light(part, left, top);
  for (int c = 0; c < 3; ++c)
    for (int y = p.y0; y < p.y1; ++y)
      for (int x = p.x0; x < p.x1; ++x) {
        const Point at = to(x + 0.5, y + 0.5);
        out.light.planes[c].at(x - p.x0, y - p.y0) =
            to.same() ? part.planes[c].at(std::clamp(x - left, 0, part.width - 1),
                                          std::clamp(y - top, 0, part.height - 1))
                      : light.at(c, at.x, at.y);
      }
  return out;
}

// Light of a patch for one channel, brought to that of this frame by what lies round the area.
class PatchLight {
 public:
  PatchLight(const TimePatch& patch, const Channel& channel, const CoverShape& shape,
             const PlaceIn& to)
      : patch_(patch), to_(to), between_(patch.light, patch.x0, patch.y0), colour_(channel.colour) {
    double here = 0, there = 0;
    for (int y = channel.first_row(patch.y0); y < patch.y0 + patch.light.height; y += channel.step)
      for (int x = channel.first_column(patch.x0); x < patch.x0 + patch.light.width;
           x += channel.step) {
        if (x >= channel.size.width || y >= channel.size.height ||
            cover_weight(shape, x + 0.5, y + 0.5) > 0 || !holds(x, y))
          continue;
        here += channel.get(x, y);
        there += at(x, y);
      }
    gain_ = there > 0 && here > 0 ? static_cast<float>(here / there) : 1.0f;
  }
  float at(int x, int y) const {
    if (to_.same())
      return gain_ * patch_.light.planes[static_cast<std::size_t>(colour_)].at(
                         std::clamp(x - patch_.x0, 0, patch_.light.width - 1),
                         std::clamp(y - patch_.y0, 0, patch_.light.height - 1));
    const Point from = to_(x + 0.5, y + 0.5);
    return gain_ * between_.at(colour_, from.x, from.y);
  }

 private:
  bool holds(int x, int y) const {
    const Point at = to_(x + 0.5, y + 0.5);
    return at.x >= patch_.x0 && at.x <= patch_.x0 + patch_.light.width && at.y >= patch_.y0 &&
           at.y <= patch_.y0 + patch_.light.height;
  }
  const TimePatch& patch_;
  const PlaceIn& to_;
  Between between_;
  int colour_;
  float gain_ = 1;
};

}  // namespace

PlaceIn::PlaceIn(const RepairGeometry& g, const Similarity& here, const Similarity& there)
    : same_(here == there) {
  // Similarities are upright, from the middle, in widths.
  const double aspect = lies_on_its_side(g.orientation)
                            ? static_cast<double>(g.pixels.width) / g.pixels.height
                            : static_cast<double>(g.pixels.height) / g.pixels.width;
  const Similarity by = then(inverse(here), there);
  auto place = [&](double x, double y) {
    const Point p = g.to_upright({x, y});
    const Offset to = moved(by, {p.x - 0.5, (p.y - 0.5) * aspect});
    return g.to_pixels({to.x + 0.5, to.y / aspect + 0.5});
  };
  zero_ = place(0, 0);
  const Point right = place(g.pixels.width, 0), down = place(0, g.pixels.height);
  across_ = {(right.x - zero_.x) / g.pixels.width, (right.y - zero_.y) / g.pixels.width};
  down_ = {(down.x - zero_.x) / g.pixels.height, (down.y - zero_.y) / g.pixels.height};
}

PatchPlace::PatchPlace(const AreaAt& area, const RepairGeometry& in)
    : shape_(outline_of(area, in)) {
  constexpr double kAround = 0.35;  // of an area's size, that lies round it in a patch
  const Bounds b = bounds_of(shape_.corners);
  const double pad = 3 * shape_.margin + 4 + kAround * std::max(b.width(), b.height());
  x0 = std::max(0, static_cast<int>(b.left - pad)) & ~1;
  y0 = std::max(0, static_cast<int>(b.top - pad)) & ~1;
  x1 = std::min(in.pixels.width, static_cast<int>(b.right + pad) + 1);
  y1 = std::min(in.pixels.height, static_cast<int>(b.bottom + pad) + 1);
}

bool PatchPlace::is_around(int x, int y) const {
  return cover_weight(shape_, x + 0.5, y + 0.5) <= 0;
}

TimePatch patch_of(const Image& camera, const PatchPlace& place, const PlaceIn& to) {
  return moved_patch(camera, 0, 0, place, to);
}

TimePatch patch_of(const SensorFrame& frame, const PatchPlace& place, const PlaceIn& to) {
  if (!frame.is_mosaic()) return patch_of(frame.rgb, place, to);
  const Needed part(place, to, {frame.mosaic.width, frame.mosaic.height});
  Image light(part.x1 - part.x0, part.y1 - part.y0);
  BeforeDemosaic balance;  // colours that are alike interpolate best
  for (std::size_t c = 0; c < 3; ++c)
    balance.gains[c] = static_cast<float>(1 / std::max(frame.colour.neutral[c], 1e-3));
  demosaic_part(frame.mosaic, balance, {part.x0, part.y0, light.width, light.height}, light);
  for (std::size_t c = 0; c < 3; ++c)
    for (float& v : light.planes[c].data) v /= balance.gains[c];
  return moved_patch(light, part.x0, part.y0, place, to);
}

void fill_from_time(const Channel& channel, const RepairGeometry& in, const TimeSources& t,
                    const Cover& cover) {
  const bool has_before = t.light_before != nullptr, has_after = t.light_after != nullptr;
  if (!has_before && !has_after) return;
  const auto& first = has_before ? t.light_before : t.light_after;
  const auto& second = has_after ? t.light_after : t.light_before;
  const PlaceIn in_first(in, t.lies, (has_before ? t.before : t.after).front().lies),
      in_second(in, t.lies, (has_after ? t.after : t.before).front().lies);
  const PatchLight before(*first, channel, cover.shape(), in_first),
      after(*second, channel, cover.shape(), in_second);
  const auto towards = static_cast<float>(t.towards);
  cover.apply(channel, [&](int x, int y) {
    return before.at(x, y) + towards * (after.at(x, y) - before.at(x, y));
  });
}

}  // namespace tsukimi
