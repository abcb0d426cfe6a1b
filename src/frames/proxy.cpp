#include "frames/proxy.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

namespace tsukimi {
namespace {

constexpr float kClipLevel = 0.985f;

// One row of blocks: mean camera RGB and whether a pixel of the block is clipped.
struct Blocks {
  Image rgb;
  std::vector<std::uint8_t> clipped;
};

Blocks bin_mosaic(const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa, int k) {
  const int step = 2 * k, w = mosaic.width / step, h = mosaic.height / step;
  Blocks out{Image(w, h), std::vector<std::uint8_t>(static_cast<std::size_t>(w) * h)};
  const float norm[3] = {1.0f / (k * k), 0.5f / (k * k), 1.0f / (k * k)};
  parallel_rows(h, [&](int y0, int y1) {
    for (int by = y0; by < y1; ++by)
      for (int bx = 0; bx < w; ++bx) {
        float sum[3] = {0, 0, 0}, most = 0;
        for (int y = 0; y < step; ++y) {
          const float* row = mosaic.row(by * step + y) + static_cast<std::size_t>(bx) * step;
          const int c0 = cfa[(y & 1) * 2], c1 = cfa[(y & 1) * 2 + 1];
          for (int x = 0; x < step; x += 2) {
            sum[c0] += row[x];
            sum[c1] += row[x + 1];
            most = std::max(most, std::max(row[x], row[x + 1]));
          }
        }
        for (int c = 0; c < 3; ++c) out.rgb.planes[c].at(bx, by) = sum[c] * norm[c];
        out.clipped[static_cast<std::size_t>(by) * w + bx] = most >= kClipLevel;
      }
  });
  return out;
}

Blocks bin_rgb(const Image& image, int k) {
  const int w = image.width / k, h = image.height / k;
  Blocks out{Image(w, h), std::vector<std::uint8_t>(static_cast<std::size_t>(w) * h)};
  parallel_rows(h, [&](int y0, int y1) {
    for (int by = y0; by < y1; ++by)
      for (int bx = 0; bx < w; ++bx) {
        float most = 0;
        for (int c = 0; c < 3; ++c) {
          float sum = 0;
          for (int y = 0; y < k; ++y)
            for (int x = 0; x < k; ++x) {
              const float v = image.planes[c].at(bx * k + x, by * k + y);
              sum += v;
              most = std::max(most, v);
            }
          out.rgb.planes[c].at(bx, by) = sum / (k * k);
        }
        out.clipped[static_cast<std::size_t>(by) * w + bx] = most >= kClipLevel;
      }
  });
  return out;
}

LightGrid make_grid(const Image& rgb, const Image& clipped) {
  LightGrid grid;
  grid.light.resize(LightGrid::kCells);
  grid.clipped.resize(LightGrid::kCells);
  for (int row = 0; row < LightGrid::kRows; ++row)
    for (int col = 0; col < LightGrid::kColumns; ++col) {
      const int x0 = col * rgb.width / LightGrid::kColumns,
                y0 = row * rgb.height / LightGrid::kRows;
      const int x1 = std::max(x0 + 1, (col + 1) * rgb.width / LightGrid::kColumns);
      const int y1 = std::max(y0 + 1, (row + 1) * rgb.height / LightGrid::kRows);
      double sum = 0, clip = 0;
      for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) {
          sum += rgb.planes[0].at(x, y) + 2 * rgb.planes[1].at(x, y) + rgb.planes[2].at(x, y);
          clip += clipped.planes[0].at(x, y);
        }
      const double n = static_cast<double>(x1 - x0) * (y1 - y0);
      grid.light[row * LightGrid::kColumns + col] = static_cast<float>(sum / (4 * n));
      grid.clipped[row * LightGrid::kColumns + col] =
          static_cast<std::uint8_t>(std::lround(255 * clip / n));
    }
  return grid;
}

}  // namespace

Proxy make_proxy(const SensorFrame& frame) {
  const Size sensor = frame.sensor_size();
  const int long_side = std::max(sensor.width, sensor.height);
  const int base = frame.is_mosaic() ? 2 : 1;
  const int k = std::max(
      1, static_cast<int>(std::lround(static_cast<double>(long_side) / base / kProxyWidth)));
  Blocks blocks =
      frame.is_mosaic() ? bin_mosaic(frame.mosaic, frame.cfa, k) : bin_rgb(frame.rgb, k);
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
  p.grid = make_grid(blocks.rgb, clip);
  p.detail = measure_detail(frame.is_mosaic() ? frame.mosaic : frame.rgb.planes[1],
                            frame.is_mosaic(), frame.cfa, frame.orientation);
  const std::size_t n = static_cast<std::size_t>(p.width) * p.height;
  p.data.resize(3 * n);
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < n; ++i)
      p.data[c * n + i] = static_cast<std::uint16_t>(std::clamp(
          blocks.rgb.planes[c].data[i] * kProxyScale + kProxyPedestal + 0.5f, 0.0f, 65535.0f));
  return p;
}

Proxy make_thumbnail(const Proxy& p) {
  const double scale =
      std::min(1.0, static_cast<double>(kThumbnailWidth) / std::max(p.width, p.height));
  Proxy out;
  out.width = std::max(1, static_cast<int>(std::lround(p.width * scale)));
  out.height = std::max(1, static_cast<int>(std::lround(p.height * scale)));
  out.colour = p.colour;
  out.full = p.full;
  out.data.resize(static_cast<std::size_t>(out.width) * out.height * 3);
  std::size_t at = 0;
  for (int c = 0; c < 3; ++c) {
    const std::uint16_t* plane = p.data.data() + static_cast<std::size_t>(c) * p.width * p.height;
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) {
        const int x0 = x * p.width / out.width,
                  x1 = std::max(x0 + 1, (x + 1) * p.width / out.width);
        const int y0 = y * p.height / out.height,
                  y1 = std::max(y0 + 1, (y + 1) * p.height / out.height);
        std::uint64_t sum = 0;
        for (int j = y0; j < y1; ++j)
          for (int i = x0; i < x1; ++i) sum += plane[static_cast<std::size_t>(j) * p.width + i];
        const auto n = static_cast<std::uint64_t>(x1 - x0) * (y1 - y0);
        out.data[at++] = static_cast<std::uint16_t>((sum + n / 2) / n);
      }
  }
  return out;
}

Image unpack(const Proxy& p) {
  Image out(p.width, p.height);
  const std::size_t n = static_cast<std::size_t>(p.width) * p.height;
  parallel_rows(p.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c) {
      const std::uint16_t* src = p.data.data() + c * n;
      float* dst = out.planes[c].data.data();
      for (std::size_t i = static_cast<std::size_t>(y0) * p.width;
           i < static_cast<std::size_t>(y1) * p.width; ++i)
        dst[i] = (static_cast<float>(src[i]) - kProxyPedestal) * (1 / kProxyScale);
    }
  });
  return out;
}

}  // namespace tsukimi
