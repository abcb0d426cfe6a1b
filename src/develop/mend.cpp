// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/mend.h"

#include <algorithm>
#include <cmath>

#include "base/overloaded.h"
#include "base/parallel.h"
#include "develop/cover.h"
#include "develop/quilt_light.h"
#include "develop/repair_geometry.h"
#include "develop/time_patch.h"
#include "image/fast_math.h"

namespace tsukimi {
namespace {

constexpr float kClipping = 0.995f;

// Light at every pixel: fn(x, y, light) gives the new one. `step`: of pixels of one channel.
void divide_shadow(const Channel& channel, const RepairGeometry& g, const DustAt& dust) {
  const Point at = g.to_pixels(dust.at);
  const double radius = dust.radius * g.width, strength = dust.strength, falloff = dust.falloff;
  // Beyond, the shadow is about a thousandth of its depth: 2.6 radii of a round one.
  const double far = radius * std::pow(6.76, 1 / falloff);
  const int x0 = std::max(0, static_cast<int>(std::floor(at.x - far))),
            x1 = std::min(channel.size.width, static_cast<int>(std::ceil(at.x + far))),
            y0 = std::max(0, static_cast<int>(std::floor(at.y - far))),
            y1 = std::min(channel.size.height, static_cast<int>(std::ceil(at.y + far)));
  constexpr float kPerE = -1.44269504f;
  const auto depth = static_cast<float>(strength), per = static_cast<float>(1 / (radius * radius)),
             half = static_cast<float>(0.5 * falloff);
  const bool round = falloff == Shadow::kRound;
  for (int y = channel.first_row(y0); y < y1; y += channel.step)
    for (int x = channel.first_column(x0); x < x1; x += channel.step) {
      const auto dx = static_cast<float>(x + 0.5 - at.x), dy = static_cast<float>(y + 0.5 - at.y);
      const float q = (dx * dx + dy * dy) * per,
                  away = round ? q : fast_exp2(half * fast_log2(std::max(q, 1e-12f))),
                  left = 1 - depth * fast_exp2(kPerE * away), light = channel.get(x, y);
      if (light < channel.clipping) channel.set(x, y, light / left);
    }
}

// With the offset to what covers it, even in a mosaic so that red covers red.
template <typename At>
CoverShape shape_of(const At& r, const RepairGeometry& g, double strength) {
  CoverShape out = outline_of(r, g);
  const Point at = g.to_pixels(r.at), from = g.to_pixels(r.source);
  out.dx = static_cast<int>(std::lround((from.x - at.x) / 2)) * 2;
  out.dy = static_cast<int>(std::lround((from.y - at.y) / 2)) * 2;
  out.strength = static_cast<float>(strength);
  return out;
}

void cover_area(const Channel& channel, const RepairGeometry& g, const AreaAt& area,
                const Cover& cover) {
  if (area.is_from_time()) return fill_from_time(channel, g, area.time, cover);
  if (area.quilt.empty()) return cover.apply(channel);
  cover.apply(channel, [light = QuiltLight(area.quilt, g, channel)](int x, int y) {
    return light.at(x, y);
  });
}

void mend_channels(const std::vector<Channel>& channels, const RepairGeometry& g,
                   const std::vector<RepairAt>& repairs) {
  // What is the same for all channels is reckoned once.
  std::vector<std::optional<Cover>> covers(repairs.size());
  parallel_ranges(static_cast<int>(repairs.size()), 1, [&](int first, int last) {
    const Channel& c = channels.front();
    for (auto i = static_cast<std::size_t>(first); i < static_cast<std::size_t>(last); ++i)
      std::visit(Overloaded{[&](const SpotAt& spot) {
                              covers[i].emplace(shape_of(spot, g, 1), c.size, c.step);
                            },
                            [](const DustAt&) {},
                            [&](const AreaAt& area) {
                              covers[i].emplace(shape_of(area, g, area.strength), c.size, c.step);
                            }},
                 repairs[i].what);
  });
  parallel_ranges(static_cast<int>(channels.size()), 1, [&](int first, int last) {
    for (auto c = static_cast<std::size_t>(first); c < static_cast<std::size_t>(last); ++c)
      for (std::size_t i = 0; i < repairs.size(); ++i)
        std::visit(
            Overloaded{[&](const SpotAt&) { covers[i]->apply(channels[c]); },
                       [&](const DustAt& dust) { divide_shadow(channels[c], g, dust); },
                       [&](const AreaAt& area) { cover_area(channels[c], g, area, *covers[i]); }},
            repairs[i].what);
  });
}

std::vector<Channel> channels_of(Image& image, float clipping) {
  std::vector<Channel> out;
  for (Plane& plane : image.planes) {
    Channel& c = out.emplace_back();
    c.size = image.size();
    c.plane = plane.data.data();
    c.stride = static_cast<std::size_t>(plane.width);
    c.colour = static_cast<int>(&plane - image.planes.data());
    c.clipping = clipping;
  }
  return out;
}

template <typename Number>
std::shared_ptr<Number> own_copy(const Mosaic& m, const std::shared_ptr<const Number>& from) {
  const std::size_t bytes = m.stride * static_cast<std::size_t>(m.height) * sizeof(Number);
  const std::shared_ptr<Number> out(static_cast<Number*>(allocate_pixels(bytes)),
                                    [bytes](Number* p) { free_pixels(p, bytes); });
  parallel_rows(m.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const std::size_t first = m.stride * static_cast<std::size_t>(y);
      std::copy_n(from.get() + first, m.width, out.get() + first);
    }
  });
  return out;
}

}  // namespace

void mend(SensorFrame& frame, const std::vector<RepairAt>& repairs) {
  if (repairs.empty()) return;
  const Size size = frame.sensor_size();
  const RepairGeometry g = geometry_of(frame);
  if (!frame.is_mosaic()) return mend_channels(channels_of(frame.rgb, kClipping), g, repairs);
  Mosaic& m = frame.mosaic;
  std::vector<Channel> channels;
  for (int place = 0; place < 4; ++place) {
    Channel& c = channels.emplace_back();
    c.size = size;
    c.step = 2;
    c.left = place & 1;
    c.top = place >> 1;
    c.colour = m.cfa[static_cast<std::size_t>(place)];
    c.stride = m.stride;
    c.black = m.black[static_cast<std::size_t>(place)];
    c.scale = m.scale[static_cast<std::size_t>(place)];
    c.clipping = kClipping;
  }
  // What it has is shared, and stays as it is for whoever holds it.
  if (m.merged) {
    const auto own = own_copy(m, m.merged);
    for (Channel& c : channels) c.plane = own.get();
    mend_channels(channels, g, repairs);
    m.merged = own;
  } else {
    const auto own = own_copy(m, m.numbers);
    for (Channel& c : channels) c.numbers = own.get();
    mend_channels(channels, g, repairs);
    m.numbers = own;
  }
}

void mend(Image& image, const Proxy& proxy, const std::vector<RepairAt>& repairs) {
  if (repairs.empty()) return;
  mend_channels(channels_of(image, 1e9f), geometry_of(proxy), repairs);
}

}  // namespace tsukimi
