// SPDX-License-Identifier: GPL-3.0-or-later
#include "proxy/proxy.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "image/reduce.h"

namespace tsukimi {
namespace {

constexpr float kClipLevel = 0.985f;

// One row of blocks: mean camera RGB and whether a pixel of the block is clipped.
struct Blocks {
  Image rgb;
  std::vector<std::uint8_t> clipped;
};

int blocks_over(int pixels, int step) { return (pixels + step - 1) / step; }

// Whether a pixel of each block is clipped. row(y): numbers, held against `limit` by column parity.
template <typename Row, typename Limit>
std::vector<std::uint8_t> find_clipped(Size size, int step, const Row& row, const Limit& limit) {
  const int w = blocks_over(size.width, step), h = blocks_over(size.height, step);
  std::vector<std::uint8_t> out(static_cast<std::size_t>(w) * h);
  parallel_ranges(h, 8, [&](int y0, int y1) {
    for (int by = y0; by < y1; ++by) {
      std::uint8_t* to = out.data() + static_cast<std::size_t>(by) * w;
      for (int y = by * step; y < std::min(size.height, (by + 1) * step); ++y) {
        const auto* in = row(y);
        const auto even = limit(y, 0), odd = limit(y, 1), least = std::min(even, odd);
        for (int bx = 0; bx < w; ++bx) {
          const int end = std::min(size.width, (bx + 1) * step);
          auto top = in[bx * step];
          for (int x = bx * step; x < end; ++x) top = std::max(top, in[x]);
          if (top < least || to[bx]) continue;
          for (int x = bx * step; x < end; ++x) to[bx] |= in[x] >= (x & 1 ? odd : even);
        }
      }
    }
  });
  return out;
}

// row(y): what the mosaic holds there, numbers or light.
template <typename Number, typename Row, typename Limit>
Blocks bin_rows(const Mosaic& mosaic, int k, const Row& row, const Limit& limit) {
  const int step = 2 * k, w = blocks_over(mosaic.width, step), h = blocks_over(mosaic.height, step);
  Blocks out{Image(w, h), {}};
  // By parity: where samples of a place of the pattern lie.
  const ReduceAxis across[2] = {{(mosaic.width + 1) / 2, 2, 0, step},
                                {mosaic.width / 2, 2, 1, step}};
  const ReduceAxis down[2] = {{(mosaic.height + 1) / 2, 2, 0, step},
                              {mosaic.height / 2, 2, 1, step}};
  parallel_ranges(h, 4, [&](int y0, int y1) {
    std::vector<float> line(mosaic.width + 1), scratch, result(w);  // whole patterns
    std::vector<const Number*> rows(down[0].taps());
    for (int by = y0; by < y1; ++by)
      for (int p = 0; p < 2; ++p) {
        for (int t = 0; t < down[p].taps(); ++t)
          rows[t] = row(2 * std::clamp(down[p].first(by) + t, 0, down[p].samples() - 1) + p);
        sum_rows(rows.data(), down[p].weights(), down[p].taps(), mosaic.width, line.data());
        for (int q = 0; q < 2; ++q) {
          const int place = 2 * p + q, c = mosaic.cfa[place];
          reduce_across(across[q], line.data() + q, 2, result.data(), w, scratch);
          // Green has two places; the first sets, the second adds its half.
          const bool second = c == 1 && p == 1;
          const float scale = mosaic.scale[place] * (c == 1 ? 0.5f : 1.0f),
                      black = mosaic.black[place];
          float* to = out.rgb.planes[c].row(by);
          for (int x = 0; x < w; ++x) {
            const float light = (result[x] - black) * scale;
            to[x] = second ? to[x] + light : light;
          }
        }
      }
  });
  out.clipped = find_clipped({mosaic.width, mosaic.height}, step, row, limit);
  return out;
}

Blocks bin_mosaic(const Mosaic& mosaic, int k) {
  if (mosaic.merged)
    return bin_rows<float>(
        mosaic, k, [&](int y) { return mosaic.merged_row(y); },
        [](int, int) { return kClipLevel; });
  return bin_rows<std::uint16_t>(
      mosaic, k, [&](int y) { return mosaic.row(y); },
      [&](int y, int parity) {
        const int place = Mosaic::place(parity, y);
        const float number = kClipLevel / mosaic.scale[place] + mosaic.black[place];
        return static_cast<std::uint16_t>(std::clamp(std::ceil(number), 0.0f, 65535.0f));
      });
}

Blocks bin_rgb(const Image& image, int k) {
  const int w = blocks_over(image.width, k), h = blocks_over(image.height, k);
  Blocks out{Image(w, h), std::vector<std::uint8_t>(static_cast<std::size_t>(w) * h)};
  const ReduceAxis across(image.width, 1, 0, k), down(image.height, 1, 0, k);
  parallel_ranges(h, 4, [&](int y0, int y1) {
    std::vector<float> line(image.width), scratch;
    std::vector<const float*> rows(down.taps());
    for (int by = y0; by < y1; ++by)
      for (int c = 0; c < 3; ++c) {
        if (k == 1) {
          std::copy_n(image.planes[c].row(by), w, out.rgb.planes[c].row(by));
          continue;
        }
        for (int t = 0; t < down.taps(); ++t)
          rows[t] = image.planes[c].row(std::clamp(down.first(by) + t, 0, image.height - 1));
        sum_rows(rows.data(), down.weights(), down.taps(), image.width, line.data());
        reduce_across(across, line.data(), 1, out.rgb.planes[c].row(by), w, scratch);
      }
  });
  for (int c = 0; c < 3; ++c) {
    const auto one = find_clipped(
        image.size(), k, [&](int y) { return image.planes[c].row(y); },
        [](int, int) { return kClipLevel; });
    for (std::size_t i = 0; i < one.size(); ++i) out.clipped[i] |= one[i];
  }
  return out;
}

LightGrid make_grid(const Image& rgb, const Image& clipped) {
  LightGrid grid;
  grid.light.resize(LightGrid::kCells);
  grid.clipped.resize(LightGrid::kCells);
  grid.red_blue.assign(2 * LightGrid::kColourCells, 0.0f);
  for (int row = 0; row < LightGrid::kRows; ++row)
    for (int col = 0; col < LightGrid::kColumns; ++col) {
      const int x0 = col * rgb.width / LightGrid::kColumns,
                y0 = row * rgb.height / LightGrid::kRows;
      const int x1 = std::max(x0 + 1, (col + 1) * rgb.width / LightGrid::kColumns);
      const int y1 = std::max(y0 + 1, (row + 1) * rgb.height / LightGrid::kRows);
      double sum = 0, red = 0, blue = 0, clip = 0;
      for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) {
          const float r = rgb.planes[0].at(x, y), b = rgb.planes[2].at(x, y);
          sum += r + 2 * rgb.planes[1].at(x, y) + b;
          red += r, blue += b;
          clip += clipped.planes[0].at(x, y);
        }
      const double n = static_cast<double>(x1 - x0) * (y1 - y0);
      grid.light[row * LightGrid::kColumns + col] = static_cast<float>(sum / (4 * n));
      grid.clipped[row * LightGrid::kColumns + col] =
          static_cast<std::uint8_t>(std::lround(255 * clip / n));
      const int wide = row / 2 * LightGrid::kColourColumns + col / 2;
      grid.red_blue[wide] += static_cast<float>(red / (4 * n));
      grid.red_blue[LightGrid::kColourCells + wide] += static_cast<float>(blue / (4 * n));
    }
  return grid;
}

}  // namespace

Proxy make_proxy(const SensorFrame& frame) {
  const bool halved = frame.halved.width > 0;
  const Size sensor = halved ? frame.halved : frame.sensor_size();
  const int long_side = std::max(sensor.width, sensor.height);
  const int base = frame.is_mosaic() || halved ? 2 : 1;
  const int k = std::max(
      1, static_cast<int>(std::lround(static_cast<double>(long_side) / base / kProxyWidth)));
  Blocks blocks = frame.is_mosaic() ? bin_mosaic(frame.mosaic, k) : bin_rgb(frame.rgb, k);
  Image clip(blocks.rgb.width, blocks.rgb.height);
  for (std::size_t i = 0; i < blocks.clipped.size(); ++i)
    for (auto& plane : clip.planes) plane.data[i] = blocks.clipped[i];
  blocks.rgb = oriented(std::move(blocks.rgb), frame.orientation);
  clip = oriented(std::move(clip), frame.orientation);

  Proxy p;
  p.width = blocks.rgb.width;
  p.height = blocks.rgb.height;
  p.colour = frame.colour;
  p.full = frame.orientation >= 5 ? Size{sensor.height, sensor.width} : sensor;
  p.orientation = frame.orientation;
  p.block = k * base;
  const bool side = lies_on_its_side(frame.orientation);
  p.covered_x = static_cast<double>(sensor.width) / ((side ? p.height : p.width) * p.block);
  p.covered_y = static_cast<double>(sensor.height) / ((side ? p.width : p.height) * p.block);
  p.grid = make_grid(blocks.rgb, clip);
  p.headroom = frame.headroom;
  if (const auto up = static_cast<float>(std::exp2(frame.headroom)); up != 1)
    for (auto* light : {&p.grid.light, &p.grid.red_blue})
      for (float& v : *light) v *= up;
  auto green_row = [&](int y, float* out) {
    if (frame.is_mosaic())
      frame.mosaic.light_row(y, out);
    else
      std::copy_n(frame.rgb.planes[1].row(y), frame.rgb.width, out);
  };
  const int offset = frame.mosaic.cfa[0] == 1 ? 0 : 1;
  p.detail = measure_detail(frame.sensor_size(), green_row, frame.is_mosaic() ? 2 : 1,
                            frame.is_mosaic() ? offset : 0, frame.orientation);
  const std::size_t n = static_cast<std::size_t>(p.width) * p.height;
  p.data.resize(3 * n);
  p.of_merged = frame.of_merged;
  const StoredLight stored = p.stored();
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < n; ++i)
      p.data[c * n + i] = stored.number(blocks.rgb.planes[c].data[i]);
  return p;
}

Rect part_of_proxy(const Proxy& p, Rect part) {
  if (p.covered_x == 1 && p.covered_y == 1) return part;
  auto moved = [&](double x, double y) {
    const Point f = point_in_file({x, y}, p.orientation);
    return upright_point({f.x * p.covered_x, f.y * p.covered_y}, p.orientation);
  };
  const Point a = moved(part.x, part.y), b = moved(part.x + part.w, part.y + part.h);
  return {a.x, a.y, b.x - a.x, b.y - a.y};
}

ProxyShares::ProxyShares(const Proxy& p) : proxy_(p) {
  const bool side = lies_on_its_side(p.orientation);
  const int width = side ? p.full.height : p.full.width,
            height = side ? p.full.width : p.full.height;
  for (int parity = 0; parity < 2; ++parity) {
    across_.emplace_back((width + 1 - parity) / 2, 2, parity, p.block);
    down_.emplace_back((height + 1 - parity) / 2, 2, parity, p.block);
  }
}

std::vector<ProxyShare> ProxyShares::of(int x, int y) const {
  const bool side = lies_on_its_side(proxy_.orientation);
  const int w = side ? proxy_.height : proxy_.width, h = side ? proxy_.width : proxy_.height;
  // A result takes sample i with the weight number i - first(result).
  auto along = [&](const ReduceAxis& axis, int i, int results) {
    std::vector<std::pair<int, float>> out;
    for (int r = std::max(0, (i - axis.first(0) - axis.taps()) / axis.per_result() - 1);
         r < results && axis.first(r) <= i; ++r)
      if (const int t = i - axis.first(r); t < axis.taps()) out.emplace_back(r, axis.weights()[t]);
    return out;
  };
  const auto columns = along(across_[x & 1], x / 2, w), rows = along(down_[y & 1], y / 2, h);
  std::vector<ProxyShare> out;
  for (const auto& [by, wy] : rows)
    for (const auto& [bx, wx] : columns) {
      const Point place = upright_point({(bx + 0.5) / w, (by + 0.5) / h}, proxy_.orientation);
      out.push_back({static_cast<int>(place.x * proxy_.width),
                     static_cast<int>(place.y * proxy_.height), wx * wy});
    }
  const auto largest = std::max_element(
      out.begin(), out.end(),
      [](const ProxyShare& a, const ProxyShare& b) { return a.weight < b.weight; });
  if (largest != out.end()) std::swap(*out.begin(), *largest);
  return out;
}

std::uint16_t StoredLight::number(float light) const {
  float t = light;
  if (!is_even()) {
    // The cubic is steep nowhere and bends nowhere beside 0: Newton's steps from above it.
    const float size = std::fabs(light), last = 1 - first_;
    float u = std::min(size / first_, std::cbrt(size / last));
    for (int i = 0; i < 6; ++i)
      u -= (u * (first_ + last * u * u) - size) / (first_ + 3 * last * u * u);
    t = std::copysign(u, light);
  }
  return static_cast<std::uint16_t>(std::clamp(t * kScale + kPedestal + 0.5f, 0.0f, 65535.0f));
}

Proxy make_thumbnail(const Proxy& p) {
  const double scale =
      std::min(1.0, static_cast<double>(kThumbnailWidth) / std::max(p.width, p.height));
  Proxy out;
  out.width = std::max(1, static_cast<int>(std::lround(p.width * scale)));
  out.height = std::max(1, static_cast<int>(std::lround(p.height * scale)));
  out.colour = p.colour;
  out.full = p.full;
  out.orientation = p.orientation;
  out.block = 0;
  out.headroom = p.headroom;
  out.of_merged = p.of_merged;
  out.covered_x = p.covered_x;
  out.covered_y = p.covered_y;
  out.data.resize(static_cast<std::size_t>(out.width) * out.height * 3);
  std::size_t at = 0;
  const StoredLight stored = p.stored();
  for (int c = 0; c < 3; ++c) {
    const std::uint16_t* plane = p.data.data() + static_cast<std::size_t>(c) * p.width * p.height;
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) {
        const int x0 = x * p.width / out.width,
                  x1 = std::max(x0 + 1, (x + 1) * p.width / out.width);
        const int y0 = y * p.height / out.height,
                  y1 = std::max(y0 + 1, (y + 1) * p.height / out.height);
        std::uint64_t sum = 0;
        float light = 0;
        for (int j = y0; j < y1; ++j)
          for (int i = x0; i < x1; ++i) {
            const std::uint16_t number = plane[static_cast<std::size_t>(j) * p.width + i];
            sum += number;
            if (!stored.is_even()) light += stored.light(number);
          }
        const auto n = static_cast<std::uint64_t>(x1 - x0) * (y1 - y0);
        out.data[at++] = stored.is_even() ? static_cast<std::uint16_t>((sum + n / 2) / n)
                                          : stored.number(light / static_cast<float>(n));
      }
  }
  return out;
}

Plane green_of(const Proxy& p) {
  Plane out(p.width, p.height);
  const std::size_t n = out.data.size();
  const StoredLight stored = p.stored();
  for (std::size_t i = 0; i < n; ++i) out.data[i] = stored.light(p.data[n + i]);
  return out;
}

Image unpack(const Proxy& p) {
  Image out(p.width, p.height);
  const std::size_t n = static_cast<std::size_t>(p.width) * p.height;
  const StoredLight stored = p.stored();
  parallel_rows(p.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c) {
      const std::uint16_t* src = p.data.data() + c * n;
      float* dst = out.planes[c].data.data();
      for (std::size_t i = static_cast<std::size_t>(y0) * p.width;
           i < static_cast<std::size_t>(y1) * p.width; ++i)
        dst[i] = stored.light(src[i]);
    }
  });
  return out;
}

}  // namespace tsukimi
