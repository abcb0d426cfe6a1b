#include "develop/mend.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/parallel.h"
#include "develop/cover.h"
#include "image/fast_math.h"

namespace tsukimi {
namespace {

constexpr int kCircle = 32;      // corners of a spot
constexpr double kMargin = 0.3;  // of a radius, over which a repair fades outside of it
constexpr float kClipping = 0.995f;

// Where a repair lies in the pixels of a picture: as the frame lies in its file, or upright.
struct Geometry {
  Size pixels;      // of the whole frame
  int orientation;  // 1: upright
  double width;     // of the upright frame, in these pixels

  Point to_pixels(const Point& upright) const {
    const Point p = point_in_file(upright, orientation);
    return {p.x * pixels.width, p.y * pixels.height};
  }
};

// Light at every pixel: fn(x, y, light) gives the new one. `step`: of pixels of one channel.
void divide_shadow(const Channel& channel, const Point& at, double radius, double strength) {
  constexpr double kFar = 2.6;  // radii: beyond, the shadow is about a thousandth of its depth
  const int x0 = std::max(0, static_cast<int>(std::floor(at.x - kFar * radius))),
            x1 = std::min(channel.size.width, static_cast<int>(std::ceil(at.x + kFar * radius))),
            y0 = std::max(0, static_cast<int>(std::floor(at.y - kFar * radius))),
            y1 = std::min(channel.size.height, static_cast<int>(std::ceil(at.y + kFar * radius)));
  const auto depth = static_cast<float>(strength),
             per = static_cast<float>(-1.44269504 / (radius * radius));
  for (int y = channel.first_row(y0); y < y1; y += channel.step)
    for (int x = channel.first_column(x0); x < x1; x += channel.step) {
      const auto dx = static_cast<float>(x + 0.5 - at.x), dy = static_cast<float>(y + 0.5 - at.y);
      const float left = 1 - depth * fast_exp2((dx * dx + dy * dy) * per),
                  light = channel.get(x, y);
      if (light < channel.clipping) channel.set(x, y, light / left);
    }
}

CoverShape outline_of(const RepairAt& r, const std::function<Point(const Point&)>& to_pixels,
                      double width) {
  CoverShape out;
  if (r.kind == RepairKind::area) {
    for (const Point& p : r.polygon) out.corners.push_back(to_pixels(p));
    Point low{1e9, 1e9}, high{-1e9, -1e9};
    for (const Point& p : out.corners) {
      low = {std::min(low.x, p.x), std::min(low.y, p.y)};
      high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
    out.margin = std::max(2.0, 0.5 * kMargin * std::min(high.x - low.x, high.y - low.y));
    return out;
  }
  const Point middle = to_pixels(r.at);
  const double radius = r.radius * width;
  out.middle = middle;
  out.radius = std::max(radius, 0.5);
  for (int i = 0; i < kCircle; ++i) {
    const double a = 2 * std::numbers::pi * i / kCircle;
    out.corners.push_back({middle.x + radius * std::cos(a), middle.y + radius * std::sin(a)});
  }
  out.margin = std::max(2.0, kMargin * radius);
  return out;
}

CoverShape shape_of(const RepairAt& r, const Geometry& g) {
  CoverShape out = outline_of(
      r, [&](const Point& p) { return g.to_pixels(p); }, g.width);
  const Point at = g.to_pixels(r.at), from = g.to_pixels(r.source);
  out.dx = static_cast<int>(std::lround((from.x - at.x) / 2)) * 2;
  out.dy = static_cast<int>(std::lround((from.y - at.y) / 2)) * 2;
  out.strength = static_cast<float>(r.kind == RepairKind::area ? r.strength : 1);
  return out;
}

// Light of a patch for one channel, brought to that of this frame by what lies round the area.
class PatchLight {
 public:
  PatchLight(const TimePatch& patch, const Channel& channel, std::size_t plane,
             const CoverShape& shape)
      : patch_(patch), plane_(patch.planes.size() == 1 ? 0 : plane) {
    double here = 0, there = 0;
    const Plane& p = patch_.planes[plane_];
    for (int y = channel.first_row(patch.y0); y < patch.y0 + p.height; y += channel.step)
      for (int x = channel.first_column(patch.x0); x < patch.x0 + p.width; x += channel.step) {
        if (x >= channel.size.width || y >= channel.size.height ||
            cover_weight(shape, x + 0.5, y + 0.5) > 0)
          continue;
        here += channel.get(x, y);
        there += at(x, y);
      }
    gain_ = there > 0 && here > 0 ? static_cast<float>(here / there) : 1.0f;
  }
  float at(int x, int y) const {
    const Plane& p = patch_.planes[plane_];
    return gain_ * p.at(std::clamp(x - patch_.x0, 0, p.width - 1),
                        std::clamp(y - patch_.y0, 0, p.height - 1));
  }

 private:
  const TimePatch& patch_;
  std::size_t plane_;
  float gain_ = 1;
};

void fill_from_time(const Channel& channel, std::size_t plane, const RepairAt& r,
                    const Cover& cover) {
  const TimeSources& t = r.time;
  const auto &first = t.light_before ? t.light_before : t.light_after,
             &second = t.light_after ? t.light_after : t.light_before;
  if (!first) return;
  const PatchLight before(*first, channel, plane, cover.shape()),
      after(*second, channel, plane, cover.shape());
  const auto towards = static_cast<float>(t.towards);
  cover.apply(channel, [&](int x, int y) {
    return before.at(x, y) + towards * (after.at(x, y) - before.at(x, y));
  });
}

// What covers an area cell by cell: between their middles neighbours are mixed.
class QuiltLight {
 public:
  QuiltLight(const Quilt& quilt, const Geometry& g, const Channel& channel)
      : quilt_(quilt), channel_(channel), origin_(g.to_pixels({0, 0})) {
    auto way = [&](const Point& p) {
      const Point to = g.to_pixels(p);
      return Point{to.x - origin_.x, to.y - origin_.y};
    };
    across_ = way({1, 0});
    down_ = way({0, 1});
    for (const Point& p : quilt.offsets) {
      const Point to = way(p);
      offsets_.push_back({static_cast<int>(std::lround(to.x / 2)) * 2,
                          static_cast<int>(std::lround(to.y / 2)) * 2});
    }
  }
  float at(int x, int y) const {
    const double px = x + 0.5 - origin_.x, py = y + 0.5 - origin_.y;
    auto along = [&](const Point& axis) {
      return (px * axis.x + py * axis.y) / (axis.x * axis.x + axis.y * axis.y);
    };
    const Part i(along(across_), quilt_.from.x, quilt_.cell.x, quilt_.columns),
        j(along(down_), quilt_.from.y, quilt_.cell.y, quilt_.rows);
    float sum = 0, weights = 0;
    for (int row : {0, 1})
      for (int column : {0, 1}) {
        const float w = (row ? j.part : 1 - j.part) * (column ? i.part : 1 - i.part);
        if (w <= 0) continue;
        const auto [dx, dy] = offsets_[quilt_.which[static_cast<std::size_t>(
            (j.first + row) * quilt_.columns + i.first + column)]];
        const int sx = x + dx, sy = y + dy;
        if (sx < 0 || sy < 0 || sx >= channel_.size.width || sy >= channel_.size.height) continue;
        sum += w * channel_.get(sx, sy);
        weights += w;
      }
    return weights > 0 ? sum / weights : channel_.get(x, y);
  }

 private:
  // Two cells that a place lies between, and how far over to the second.
  struct Part {
    int first = 0;
    float part = 0;
    Part(double at, double from, double cell, int count) {
      const double c = std::clamp((at - from) / cell - 0.5, 0.0, count - 1.0);
      first = std::min(static_cast<int>(c), std::max(0, count - 2));
      part = count > 1 ? static_cast<float>(c - first) : 0;
    }
  };
  const Quilt& quilt_;
  const Channel& channel_;
  Point origin_, across_, down_;
  std::vector<std::pair<int, int>> offsets_;
};

void mend_channels(const std::vector<Channel>& channels, const Geometry& g,
                   const std::vector<RepairAt>& repairs) {
  // What is the same for all channels is reckoned once.
  std::vector<std::optional<Cover>> covers(repairs.size());
  parallel_ranges(static_cast<int>(repairs.size()), 1, [&](int first, int last) {
    for (auto i = static_cast<std::size_t>(first); i < static_cast<std::size_t>(last); ++i)
      if (repairs[i].kind != RepairKind::dust)
        covers[i].emplace(shape_of(repairs[i], g), channels.front().size, channels.front().step);
  });
  parallel_ranges(static_cast<int>(channels.size()), 1, [&](int first, int last) {
    for (auto c = static_cast<std::size_t>(first); c < static_cast<std::size_t>(last); ++c)
      for (std::size_t i = 0; i < repairs.size(); ++i) {
        const RepairAt& r = repairs[i];
        if (r.kind == RepairKind::dust)
          divide_shadow(channels[c], g.to_pixels(r.at), r.radius * g.width, r.strength);
        else if (r.kind == RepairKind::area && r.fill == FillFrom::time)
          fill_from_time(channels[c], c, r, *covers[i]);
        else if (!r.quilt.empty())
          covers[i]->apply(channels[c], [light = QuiltLight(r.quilt, g, channels[c])](
                                            int x, int y) { return light.at(x, y); });
        else
          covers[i]->apply(channels[c]);
      }
  });
}

std::vector<Channel> channels_of(Image& image, float clipping) {
  std::vector<Channel> out;
  for (Plane& plane : image.planes) {
    Channel& c = out.emplace_back();
    c.size = image.size();
    c.plane = plane.data.data();
    c.stride = static_cast<std::size_t>(plane.width);
    c.clipping = clipping;
  }
  return out;
}

constexpr double kAround = 0.35;  // of an area's size, that lies round it in a patch

Geometry geometry_of(const SensorFrame& frame) {
  const Size size = frame.sensor_size();
  return {size, frame.orientation,
          static_cast<double>(lies_on_its_side(frame.orientation) ? size.height : size.width)};
}

// The last pixels of a proxy may reach beyond the frame.
Geometry geometry_of(const Proxy& proxy) {
  const Rect all = part_of_proxy(proxy, {});
  return {{static_cast<int>(std::lround(proxy.width * all.w)),
           static_cast<int>(std::lround(proxy.height * all.h))},
          1,
          proxy.width * all.w};
}

}  // namespace

PatchPlace::PatchPlace(const RepairAt& area, const SensorFrame& frame) : cfa_(frame.mosaic.cfa) {
  const Geometry g = geometry_of(frame);
  set(
      area, [&](const Point& p) { return g.to_pixels(p); }, frame.sensor_size());
}

PatchPlace::PatchPlace(const RepairAt& area, const Proxy& proxy) {
  const Geometry g = geometry_of(proxy);
  set(area, [&](const Point& p) { return g.to_pixels(p); }, {proxy.width, proxy.height});
}

void PatchPlace::set(const RepairAt& area, const std::function<Point(const Point&)>& to_pixels,
                     Size size) {
  shape_ = outline_of(area, to_pixels, size.width);
  double left = 1e9, right = -1e9, top = 1e9, bottom = -1e9;
  for (const Point& p : shape_.corners) {
    left = std::min(left, p.x), right = std::max(right, p.x);
    top = std::min(top, p.y), bottom = std::max(bottom, p.y);
  }
  const double pad = 3 * shape_.margin + 4 + kAround * std::max(right - left, bottom - top);
  x0 = std::max(0, static_cast<int>(left - pad)) & ~1;
  y0 = std::max(0, static_cast<int>(top - pad)) & ~1;
  x1 = std::min(size.width, static_cast<int>(right + pad) + 1);
  y1 = std::min(size.height, static_cast<int>(bottom + pad) + 1);
}

bool PatchPlace::is_around(int x, int y) const {
  return cover_weight(shape_, x + 0.5, y + 0.5) <= 0;
}

int PatchPlace::channel(int x, int y) const {
  return cfa_[static_cast<std::size_t>(Mosaic::place(x, y))];
}

TimePatch patch_of(const SensorFrame& frame, const PatchPlace& p) {
  if (!frame.is_mosaic()) return patch_of(frame.rgb, p);
  TimePatch out{p.x0, p.y0, {Plane(p.x1 - p.x0, p.y1 - p.y0)}};
  for (int y = p.y0; y < p.y1; ++y)
    for (int x = p.x0; x < p.x1; ++x)
      out.planes[0].at(x - p.x0, y - p.y0) = frame.mosaic.light(x, y);
  return out;
}

TimePatch patch_of(const Image& image, const PatchPlace& p) {
  TimePatch out{p.x0, p.y0, {}};
  for (const Plane& plane : image.planes) {
    Plane& part = out.planes.emplace_back(p.x1 - p.x0, p.y1 - p.y0);
    for (int y = 0; y < part.height; ++y)
      std::copy_n(plane.row(p.y0 + y) + p.x0, part.width, part.row(y));
  }
  return out;
}

void mend(SensorFrame& frame, const std::vector<RepairAt>& repairs) {
  if (repairs.empty()) return;
  const Size size = frame.sensor_size();
  const Geometry g = geometry_of(frame);
  if (!frame.is_mosaic()) return mend_channels(channels_of(frame.rgb, kClipping), g, repairs);
  Mosaic& m = frame.mosaic;
  // Its numbers are shared, and stay as they are for whoever holds them.
  const std::size_t bytes = m.stride * static_cast<std::size_t>(m.height) * sizeof(std::uint16_t);
  const std::shared_ptr<std::uint16_t> own(static_cast<std::uint16_t*>(allocate_pixels(bytes)),
                                           [bytes](std::uint16_t* p) { free_pixels(p, bytes); });
  std::uint16_t* numbers = own.get();
  parallel_rows(m.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      std::copy_n(m.row(y), m.width, numbers + m.stride * static_cast<std::size_t>(y));
  });
  std::vector<Channel> channels;
  for (int place = 0; place < 4; ++place) {
    Channel& c = channels.emplace_back();
    c.size = size;
    c.step = 2;
    c.left = place & 1;
    c.top = place >> 1;
    c.numbers = numbers;
    c.stride = m.stride;
    c.black = m.black[static_cast<std::size_t>(place)];
    c.scale = m.scale[static_cast<std::size_t>(place)];
    c.clipping = kClipping;
  }
  mend_channels(channels, g, repairs);
  m.numbers = own;
}

void mend(Image& image, const Proxy& proxy, const std::vector<RepairAt>& repairs) {
  if (repairs.empty()) return;
  mend_channels(channels_of(image, 1e9f), geometry_of(proxy), repairs);
}

}  // namespace tsukimi
