#include "develop/mend.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/parallel.h"
#include "develop/cover.h"

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
  constexpr double kFar = 3;  // radii: beyond, the shadow is less than a thousandth of its depth
  const int x0 = std::max(0, static_cast<int>(std::floor(at.x - kFar * radius))),
            x1 = std::min(channel.size.width, static_cast<int>(std::ceil(at.x + kFar * radius))),
            y0 = std::max(0, static_cast<int>(std::floor(at.y - kFar * radius))),
            y1 = std::min(channel.size.height, static_cast<int>(std::ceil(at.y + kFar * radius)));
  for (int y = channel.first_row(y0); y < y1; y += channel.step)
    for (int x = channel.first_column(x0); x < x1; x += channel.step) {
      const double dx = x + 0.5 - at.x, dy = y + 0.5 - at.y,
                   left = 1 - strength * std::exp(-(dx * dx + dy * dy) / (radius * radius));
      const float light = channel.get(x, y);
      if (light < channel.clipping) channel.set(x, y, light / static_cast<float>(left));
    }
}

CoverShape shape_of(const RepairAt& r, const Geometry& g) {
  CoverShape out;
  if (r.kind == RepairKind::area) {
    for (const Point& p : r.polygon) out.corners.push_back(g.to_pixels(p));
    Point low{1e9, 1e9}, high{-1e9, -1e9};
    for (const Point& p : out.corners) {
      low = {std::min(low.x, p.x), std::min(low.y, p.y)};
      high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
    out.margin = std::max(2.0, 0.5 * kMargin * std::min(high.x - low.x, high.y - low.y));
  } else {
    const Point middle = g.to_pixels(r.at);
    const double radius = r.radius * g.width;
    for (int i = 0; i < kCircle; ++i) {
      const double a = 2 * std::numbers::pi * i / kCircle;
      out.corners.push_back({middle.x + radius * std::cos(a), middle.y + radius * std::sin(a)});
    }
    out.margin = std::max(2.0, kMargin * radius);
  }
  const Point at = g.to_pixels(r.at), from = g.to_pixels(r.source);
  out.dx = static_cast<int>(std::lround((from.x - at.x) / 2)) * 2;
  out.dy = static_cast<int>(std::lround((from.y - at.y) / 2)) * 2;
  out.strength = static_cast<float>(r.kind == RepairKind::area ? r.strength : 1);
  return out;
}

void mend_channels(const std::vector<Channel>& channels, const Geometry& g,
                   const std::vector<RepairAt>& repairs) {
  parallel_ranges(static_cast<int>(channels.size()), 1, [&](int first, int last) {
    for (int c = first; c < last; ++c)
      for (const RepairAt& r : repairs) {
        const Channel& channel = channels[static_cast<std::size_t>(c)];
        if (r.kind == RepairKind::dust)
          divide_shadow(channel, g.to_pixels(r.at), r.radius * g.width, r.strength);
        else
          cover(channel, shape_of(r, g));
      }
  });
}

std::vector<Channel> channels_of(Image& image, float clipping) {
  std::vector<Channel> out;
  for (Plane& plane : image.planes)
    out.push_back({image.size(), 1, 0, 0, [&plane](int x, int y) { return plane.at(x, y); },
                   [&plane](int x, int y, float v) { plane.at(x, y) = v; }, clipping});
  return out;
}

}  // namespace

void mend(SensorFrame& frame, const std::vector<RepairAt>& repairs) {
  if (repairs.empty()) return;
  const Size size = frame.sensor_size();
  const Geometry g{
      size, frame.orientation,
      static_cast<double>(lies_on_its_side(frame.orientation) ? size.height : size.width)};
  if (!frame.is_mosaic()) return mend_channels(channels_of(frame.rgb, kClipping), g, repairs);
  Mosaic& m = frame.mosaic;
  const std::size_t count = m.stride * static_cast<std::size_t>(m.height);
  std::shared_ptr<std::uint16_t[]> own(new std::uint16_t[count]);
  std::copy_n(m.numbers.get(), count, own.get());
  std::uint16_t* numbers = own.get();
  std::vector<Channel> channels;
  for (int place = 0; place < 4; ++place) {
    const float black = m.black[static_cast<std::size_t>(place)],
                scale = m.scale[static_cast<std::size_t>(place)];
    const std::size_t stride = m.stride;
    channels.push_back({size, 2, place & 1, place >> 1,
                        [=](int x, int y) {
                          return (static_cast<float>(numbers[y * stride + x]) - black) * scale;
                        },
                        [=](int x, int y, float v) {
                          const float n = v / scale + black + 0.5f;
                          numbers[y * stride + x] =
                              static_cast<std::uint16_t>(std::clamp(n, 0.0f, 65535.0f));
                        },
                        kClipping});
  }
  mend_channels(channels, g, repairs);
  m.numbers = std::shared_ptr<const std::uint16_t>(own, own.get());
}

void mend(Image& image, const Proxy& proxy, const std::vector<RepairAt>& repairs) {
  if (repairs.empty()) return;
  // The last pixels may reach beyond the frame.
  const Rect all = part_of_proxy(proxy, {});
  const Geometry g{{static_cast<int>(std::lround(image.width * all.w)),
                    static_cast<int>(std::lround(image.height * all.h))},
                   1,
                   image.width * all.w};
  mend_channels(channels_of(image, 1e9f), g, repairs);
}

}  // namespace tsukimi
