// SPDX-License-Identifier: GPL-3.0-or-later
// Which colour what is clipped most likely has: that of its unclipped rim.
#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "develop/clipped.h"

namespace tsukimi {

// Cell by cell the colour of what is not clipped, and how much of it there is; spread from there
// into what is clipped, along what belongs together.
class ClipSampler {
 public:
  ClipSampler(Size source, const std::array<float, 3>& gains) : gains_(gains) {
    const int side = std::max(source.width, source.height);
    cell_ = std::max(2, (side / kCells + 1) & ~1);
    cells_ = {(source.width + cell_ - 1) / cell_, (source.height + cell_ - 1) / cell_};
    for (auto& s : sums_) s = Plane(cells_.width, cells_.height);
    for (auto& l : light_) l = Plane(cells_.width, cells_.height);
    clipped_.assign(sums_[0].data.size(), 0);
  }
  int cell() const { return cell_; }
  Size cells() const { return cells_; }

  // The places of a cell, in shares of clipping, not balanced.
  struct Cell {
    static constexpr int kMost = 64;
    struct Place {
      float light[3];
      float even;  // 1, or less where an edge runs through it: its colours are mixed of two objects
    } places[kMost];
    int count = 0, clipped = 0;  // clipped ones stand first
    void add(float r, float g, float b, float even = 1) {
      if (count == kMost) return;
      places[count] = {
          {std::clamp(r, 0.0f, 1.0f), std::clamp(g, 0.0f, 1.0f), std::clamp(b, 0.0f, 1.0f)}, even};
      if (std::max({r, g, b}) >= kFull) std::swap(places[clipped++], places[count]);
      ++count;
    }
  };

  // fill(cell x, cell y, cell) for all cells.
  template <typename Fill>
  ClipGuide guide(const Fill& fill) {
    parallel_ranges(cells_.height, 2, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < cells_.width; ++x) {
          Cell cell;
          fill(x, y, cell);
          take(x, y, cell);
        }
    });
    ClipGuide out;
    for (int c = 0; c < 3; ++c) out.level_[c] = gains_[c];
    out.cell_ = static_cast<float>(cell_);
    spread(out);
    return out;
  }

  static constexpr float kFull = 0.97f;

 private:
  static constexpr int kCells = 128;  // on the long side

  // How far apart two lights are, in stops of the channel that differs most.
  static float apart(const float* a, const float* b) {
    constexpr float kFloor = 0.01f;
    float most = 0;
    for (int c = 0; c < 3; ++c)
      most = std::max(most, std::fabs(std::log2((a[c] + kFloor) / (b[c] + kFloor))));
    return most;
  }

  void take(int x, int y, const Cell& cell) {
    const int stands_for_it = cell.clipped > 0 ? cell.clipped : cell.count;
    float mean[3] = {0, 0, 0}, sum[4] = {0, 0, 0, 0};
    for (int i = 0; i < stands_for_it; ++i)
      for (int c = 0; c < 3; ++c)
        mean[c] += cell.places[i].light[c] / static_cast<float>(stands_for_it);
    for (int i = cell.clipped; i < cell.count; ++i) {
      const float* v = cell.places[i].light;
      const float all = v[0] * gains_[0] + v[1] * gains_[1] + v[2] * gains_[2];
      if (!(all > 0)) continue;
      const float most = std::max({v[0], v[1], v[2]});
      float w = most * most * most;
      w *= w * cell.places[i].even;  // what is nearly clipped tells most
      // Beside what is clipped only what passes into it belongs to the same object: no land under a
      // sky.
      if (cell.clipped > 0) {
        const float d = apart(mean, v) / kSame;
        w *= std::exp(-d * d);
      }
      for (int c = 0; c < 3; ++c) sum[c] += w * v[c] * gains_[c] / all;
      sum[3] += w;
    }
    for (int c = 0; c < 4; ++c) sums_[c].at(x, y) = sum[c];
    for (int c = 0; c < 3; ++c) light_[c].at(x, y) = mean[c];
    clipped_[static_cast<std::size_t>(y) * cells_.width + x] = cell.clipped > 0;
  }
  static constexpr float kSame = 1.5f;  // stops

  // What is carried from a cell to the one beside it: less with every cell, next to nothing over an
  // edge.
  Plane carried(int dx, int dy) const {
    Plane out(cells_.width, cells_.height);
    for (int y = 0; y < cells_.height; ++y)
      for (int x = 0; x < cells_.width; ++x) {
        if (x + dx >= cells_.width || y + dy >= cells_.height) continue;
        float a[3], b[3];
        for (int c = 0; c < 3; ++c) {
          a[c] = light_[c].at(x, y);
          b[c] = light_[c].at(x + dx, y + dy);
        }
        const float d = std::min(apart(a, b), 1.0f);
        out.at(x, y) = std::exp(-(1 + kEdge * d * d) / kReach);
      }
    return out;
  }
  static constexpr float kReach = 4;  // cells within which colours mix
  static constexpr float kEdge = 60;  // cells that an edge of a stop is worth

  // Sums of what comes along a line of n cells from both sides. carry: from each to the next one.
  static void along(float* cells, std::size_t step, const float* carry, std::size_t n,
                    std::vector<float>& from_behind) {
    from_behind.assign(n, 0);
    for (std::size_t i = n - 1; i > 0; --i)
      from_behind[i - 1] = (from_behind[i] + cells[i * step]) * carry[(i - 1) * step];
    float from_ahead = 0;
    for (std::size_t i = 0; i < n; ++i) {
      float& here = cells[i * step];
      here += from_ahead;
      from_ahead = here * carry[i * step];
      here += from_behind[i];
    }
  }

  // Colours go from what is not clipped into what is along rows and columns in turn, as along a
  // shortest way (a geodesic form of Gastal and Oliveira's recursive filter, 2011).
  void spread(ClipGuide& out) {
    const Plane right = carried(1, 0), down = carried(0, 1);
    const int w = cells_.width, h = cells_.height;
    const auto row = static_cast<std::size_t>(w), column = static_cast<std::size_t>(h);
    std::vector<float> scratch;
    for (auto& s : sums_)
      for (int pass = 0; pass < 3; ++pass) {
        for (int y = 0; y < h; ++y) along(s.row(y), 1, right.row(y), row, scratch);
        for (int x = 0; x < w; ++x)
          along(s.data.data() + x, row, down.data.data() + x, column, scratch);
      }
    constexpr float kFaintest = 0.04f;  // of a channel: what is next to nothing tells nothing
    constexpr float kNothing = 1e-30f;
    std::array<Plane, 3> colour;
    for (int c = 0; c < 3; ++c) {
      colour[c] = Plane(w, h);
      for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
          colour[c].at(x, y) = (sums_[c].at(x, y) + kNothing / 3) / (sums_[3].at(x, y) + kNothing);
    }
    // What is asked between two cells is asked for what is clipped there: what has nothing clipped
    // takes the colour of those beside it that have.
    for (int c = 0; c < 3; ++c) {
      out.colour_[c] = Plane(w, h);
      for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
          float sum = 0, weight = 0;
          for (int j = -1; j <= 1; ++j)
            for (int i = -1; i <= 1; ++i) {
              const int cx = std::clamp(x + i, 0, w - 1), cy = std::clamp(y + j, 0, h - 1);
              const float share = (clipped_[cy * row + cx] ? 1.0f : 1e-3f) *
                                  static_cast<float>((2 - std::abs(i)) * (2 - std::abs(j)));
              sum += share * colour[c].at(cx, cy);
              weight += share;
            }
          out.colour_[c].at(x, y) = std::max(sum / weight, kFaintest);
        }
    }
  }

  std::array<float, 3> gains_;
  int cell_ = 1;
  Size cells_;
  std::array<Plane, 4> sums_;   // of colours, and of weights
  std::array<Plane, 3> light_;  // of what is clipped where there is any
  std::vector<std::uint8_t> clipped_;
};

// The light of 4x4 places of a mosaic. Where an edge runs through it, the places of one
// pattern have colours of two objects.
void add_block(const Mosaic& mosaic, int x0, int y0, ClipSampler::Cell& cell) {
  float sum[3] = {0, 0, 0}, least[3] = {1, 1, 1}, most[3] = {0, 0, 0};
  for (int y = 0; y < 4; ++y)
    for (int x = 0; x < 4; ++x) {
      const int place = Mosaic::place(x, y), c = mosaic.cfa[place];
      const float light = mosaic.light(x0 + x, y0 + y);
      sum[c] += light;
      least[c] = std::min(least[c], light);
      most[c] = std::max(most[c], light);
    }
  if (std::max({most[0], most[1], most[2]}) >= ClipSampler::kFull) {
    cell.add(most[0], most[1], most[2]);
    return;
  }
  constexpr float kFloor = 0.02f, kUneven = 0.5f;
  float apart = 0;
  for (int c = 0; c < 3; ++c) {
    sum[c] /= c == 1 ? 8 : 4;
    apart = std::max(apart, (most[c] - least[c]) / (std::max(sum[c], 0.0f) + kFloor));
  }
  const float square = apart * apart / (kUneven * kUneven);
  cell.add(sum[0], sum[1], sum[2], 1 / (1 + square * square));
}

ClipGuide clip_guide(const Mosaic& mosaic, const std::array<float, 3>& gains) {
  ClipSampler sampler({mosaic.width, mosaic.height}, gains);
  const int size = sampler.cell(), step = std::max(4, size / 4 & ~1);  // about 16 places a cell
  return sampler.guide([&](int cx, int cy, ClipSampler::Cell& cell) {
    for (int y = cy * size; y < std::min(mosaic.height, (cy + 1) * size); y += step)
      for (int x = cx * size; x < std::min(mosaic.width, (cx + 1) * size); x += step)
        add_block(mosaic, std::min(x, (mosaic.width - 4) & ~1),
                  std::min(y, (mosaic.height - 4) & ~1), cell);
  });
}

ClipGuide clip_guide(const Image& camera, const std::array<float, 3>& gains) {
  if (std::ranges::none_of(camera.planes, [](const Plane& p) {
        return std::ranges::any_of(p.data, [](float v) { return v >= ClipGuide::kBegin; });
      }))
    return {};
  ClipSampler sampler(camera.size(), gains);
  const int size = sampler.cell(), step = std::max(1, size / 4);
  return sampler.guide([&](int cx, int cy, ClipSampler::Cell& cell) {
    for (int y = cy * size; y < std::min(camera.height, (cy + 1) * size); y += step)
      for (int x = cx * size; x < std::min(camera.width, (cx + 1) * size); x += step)
        cell.add(camera.planes[0].at(x, y), camera.planes[1].at(x, y), camera.planes[2].at(x, y));
  });
}

ClipGuide clip_guide(const Proxy& proxy, const std::array<float, 3>& gains) {
  const StoredLight stored = proxy.stored();
  const std::uint16_t begin = stored.number(ClipGuide::kBegin);
  if (std::ranges::none_of(proxy.data, [&](std::uint16_t n) { return n >= begin; })) return {};
  ClipSampler sampler({proxy.width, proxy.height}, gains);
  const int size = sampler.cell(), step = std::max(1, size / 4);
  const std::size_t plane = static_cast<std::size_t>(proxy.width) * proxy.height;
  auto light = [&](std::size_t i) { return stored.light(proxy.data[i]); };
  return sampler.guide([&](int cx, int cy, ClipSampler::Cell& cell) {
    for (int y = cy * size; y < std::min(proxy.height, (cy + 1) * size); y += step)
      for (int x = cx * size; x < std::min(proxy.width, (cx + 1) * size); x += step) {
        const std::size_t i = static_cast<std::size_t>(y) * proxy.width + x;
        cell.add(light(i), light(i + plane), light(i + 2 * plane));
      }
  });
}

}  // namespace tsukimi
