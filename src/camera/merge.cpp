// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/merge.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/parallel.h"
#include "camera/exposed.h"

namespace tsukimi {
namespace {

// How far a shot is to be believed: 1 below kSureBelow, 0 from kClippedFrom on.
float belief(float most) {
  const float t = std::clamp((kClippedFrom - most) / (kClippedFrom - kSureBelow), 0.0f, 1.0f);
  return t * t * (3 - 2 * t);
}

// fn(cell, x): every value of a row with the cell of kSide values that it is in.
template <int kSide, typename Fn>
void each_in_cells(int width, const Fn& fn) {
  const int whole = width / kSide;
  for (int c = 0; c < whole; ++c)
    for (int k = 0; k < kSide; ++k) fn(static_cast<std::size_t>(c), c * kSide + k);
  for (int x = whole * kSide; x < width; ++x) fn(static_cast<std::size_t>(whole), x);
}

// Rows of one shot, a cell (of kSide pixels) at a time.
template <int kSide>
class Cells {
 public:
  Cells(int across, int planes) : planes_(planes) {
    for (auto& v : most_) v.resize(static_cast<std::size_t>(across));
    for (auto& v : mean_) v.resize(static_cast<std::size_t>(across));
  }
  // line(plane, row): pointers to light. The most and the mean of every cell of a row of them.
  template <typename Line>
  void read(int slot, int width, int rows, const Line& line) {
    auto& most = most_[static_cast<std::size_t>(slot)];
    auto& mean = mean_[static_cast<std::size_t>(slot)];
    std::ranges::fill(most, 0.0f);
    std::ranges::fill(mean, 0.0f);
    for (int p = 0; p < planes_; ++p)
      for (int r = 0; r < rows; ++r) {
        const float* in = line(p, r);
        each_in_cells<kSide>(width, [&](std::size_t c, int x) {
          most[c] = most[c] > in[x] ? most[c] : in[x];
          mean[c] += in[x];
        });
      }
    const float per = 1 / static_cast<float>(kSide * rows * planes_);
    for (float& v : mean) v *= per;
    // The last cell may be narrower.
    if (const int rest = width % kSide) mean.back() *= static_cast<float>(kSide) / rest;
  }
  // The most over a cell and those round it; the rows before and after by their slots.
  float most_round(std::size_t c, int before, int here, int after) const {
    const std::size_t a = c > 0 ? c - 1 : c, b = std::min(c + 1, most_[0].size() - 1);
    float out = 0;
    for (const int slot : {before, here, after}) {
      const auto& row = most_[static_cast<std::size_t>(slot)];
      out = std::max({out, row[a], row[c], row[b]});
    }
    return out;
  }
  float mean(std::size_t c, int slot) const { return mean_[static_cast<std::size_t>(slot)][c]; }

 private:
  int planes_;
  std::array<std::vector<float>, 3> most_, mean_;
};

// Merges rows [y0, y1) of cells. light(shot, plane, y): a row of light; put(plane, y, row).
template <int kSide>
class Band {
 public:
  Band(const std::vector<Exposed>& shots, const std::vector<std::uint8_t>& moving, Size size,
       int planes, float clip)
      : shots_(shots), moving_(moving), size_(size), planes_(planes), to_clip_(1 / clip) {
    across_ = (size.width + kSide - 1) / kSide;
    down_ = (size.height + kSide - 1) / kSide;
    darkest_ = static_cast<std::size_t>(std::ranges::max_element(shots, {}, &Exposed::to_frame) -
                                        shots.begin());
    for (std::size_t s = 0; s < shots.size(); ++s) cells_.emplace_back(across_, planes);
    weight_.assign(shots.size(), std::vector<float>(static_cast<std::size_t>(across_)));
    sure_ = weight_;
    // From the frame's own to the darkest.
    for (std::size_t s = 0; s < shots.size(); ++s)
      if (shots[s].to_frame >= 1) darker_.push_back(s);
    std::ranges::stable_sort(darker_, {}, [&](std::size_t s) { return shots[s].to_frame; });
  }

  template <typename Light, typename Put>
  void run(int y0, int y1, const Light& light, const Put& put) {
    std::vector<std::vector<float>> rows(shots_.size());
    for (auto& row : rows) row.resize(static_cast<std::size_t>(size_.width));
    std::vector<float> out(static_cast<std::size_t>(size_.width));
    const auto read = [&](int cy) {
      if (cy < 0 || cy >= down_) return;
      const int first = cy * kSide, count = std::min(kSide, size_.height - first);
      for (std::size_t s = 0; s < shots_.size(); ++s)
        cells_[s].read(slot(cy), size_.width, count, [&](int p, int r) {
          light(s, p, first + r, rows[s].data());
          return rows[s].data();
        });
    };
    read(y0 - 1);
    read(y0);
    for (int cy = y0; cy < y1; ++cy) {
      read(cy + 1);
      weigh(slot(std::max(cy - 1, 0)), slot(cy), slot(std::min(cy + 1, down_ - 1)));
      if (!moving_.empty()) choose_where_moving(cy);
      for (int y = cy * kSide; y < std::min(size_.height, (cy + 1) * kSide); ++y)
        for (int p = 0; p < planes_; ++p) {
          std::ranges::fill(out, 0.0f);
          for (std::size_t s = 0; s < shots_.size(); ++s) {
            light(s, p, y, rows[s].data());
            const float* in = rows[s].data();
            const float* w = weight_[s].data();
            each_in_cells<kSide>(size_.width,
                                 [&](std::size_t c, int x) { out[x] += w[c] * in[x]; });
          }
          put(p, y, out.data());
        }
    }
  }

 private:
  static int slot(int cy) { return (cy + 3) % 3; }

  // Of every cell of a row what each shot counts, times what brings its light to the result's.
  void weigh(int before, int here, int after) {
    for (std::size_t c = 0; c < static_cast<std::size_t>(across_); ++c) {
      // The light by those that are sure of it, the longer ones more: then how well each knows it.
      float sum = 0, all = 0;
      for (std::size_t s = 0; s < shots_.size(); ++s) {
        sure_[s][c] = belief(cells_[s].most_round(c, before, here, after));
        const float longer = sure_[s][c] / shots_[s].to_frame;
        sum += longer * cells_[s].mean(c, here) * shots_[s].to_frame;
        all += longer;
      }
      constexpr float kNothing = 1e-6f;  // where all are clipped the darkest counts alone
      const float known = all > 0 ? std::max(sum / all, 0.0f) : 0;
      float weights = 0;
      for (std::size_t s = 0; s < shots_.size(); ++s) {
        const Exposed& e = shots_[s];
        const float own = known / e.to_frame;
        const float variance = (own * e.per_well + e.read_square) * e.to_frame * e.to_frame;
        const float believed = s == darkest_ ? std::max(sure_[s][c], kNothing) : sure_[s][c];
        weights += weight_[s][c] = believed / variance;
      }
      for (std::size_t s = 0; s < shots_.size(); ++s)
        weight_[s][c] *= shots_[s].to_frame * to_clip_ / weights;
    }
  }

  // Where the middle of a cell of pixels lies among `count` larger ones over all of them: after
  // which one's middle, and how far on to the next.
  static std::pair<int, float> between(int cell, int pixels, int count) {
    const float at = (static_cast<float>(cell) + 0.5f) * static_cast<float>(kSide * count) /
                         static_cast<float>(pixels) -
                     0.5f;
    const float within = std::clamp(at, 0.0f, static_cast<float>(count - 1));
    const int first = std::min(static_cast<int>(within), count - 2);
    return {first, within - static_cast<float>(first)};
  }

  // Where something moved: the frame's own shot, as far as it is clipped the next darker one.
  void choose_where_moving(int cy) {
    const auto [row, v] = between(cy, size_.height, MergeInfo::kDown);
    const std::uint8_t* up = moving_.data() + row * MergeInfo::kAcross;
    const std::uint8_t* down = up + MergeInfo::kAcross;
    for (std::size_t c = 0; c < static_cast<std::size_t>(across_); ++c) {
      const auto [k, u] = between(static_cast<int>(c), size_.width, MergeInfo::kAcross);
      const auto along = [k = k, u = u](const std::uint8_t* line) {
        return static_cast<float>(line[k]) * (1 - u) + static_cast<float>(line[k + 1]) * u;
      };
      const float there = along(up) * (1 - v) + along(down) * v;
      if (there <= 0) continue;
      const float moved = there / 255;
      for (auto& weight : weight_) weight[c] *= 1 - moved;
      float left = moved;
      for (const std::size_t s : darker_) {
        const float taken = s == darkest_ ? left : left * sure_[s][c];
        weight_[s][c] += taken * shots_[s].to_frame * to_clip_;
        left -= taken;
      }
    }
  }

  const std::vector<Exposed>& shots_;
  const std::vector<std::uint8_t>& moving_;
  Size size_;
  int planes_, across_, down_;
  float to_clip_;  // from the frame's light to the result's
  std::size_t darkest_;
  std::vector<Cells<kSide>> cells_;
  std::vector<std::size_t> darker_;                // the frame's own shot, and those below it
  std::vector<std::vector<float>> weight_, sure_;  // of each shot, of every cell of the row
};

template <int kSide, typename Light, typename Put>
void merge_bands(const std::vector<Exposed>& shots, const std::vector<std::uint8_t>& moving,
                 Size size, int planes, float clip, const Light& light, const Put& put) {
  constexpr int kCellsDown = 32;
  const int down = (size.height + kSide - 1) / kSide;
  parallel_ranges((down + kCellsDown - 1) / kCellsDown, 1, [&](int first, int last) {
    Band<kSide> band(shots, moving, size, planes, clip);
    for (int k = first; k < last; ++k)
      band.run(k * kCellsDown, std::min(down, (k + 1) * kCellsDown), light, put);
  });
}

}  // namespace

Result<void> check_mergeable(const SensorFrame& frame, const SensorFrame& shot) {
  const Size a = frame.sensor_size(), b = shot.sensor_size();
  if (a != b)
    return fail("is " + std::to_string(b.width) + "×" + std::to_string(b.height) +
                ", the frame it belongs to is " + std::to_string(a.width) + "×" +
                std::to_string(a.height));
  if (frame.is_mosaic() != shot.is_mosaic() ||
      (frame.is_mosaic() && frame.mosaic.cfa != shot.mosaic.cfa))
    return fail("is of another kind than the frame it belongs to");
  return {};
}

SensorFrame merge(std::vector<MergeShot> shots, const std::vector<std::uint8_t>& moving) {
  std::vector<Exposed> exposures;
  double headroom = 0;
  for (const MergeShot& shot : shots) {
    exposures.push_back(exposed(shot));
    headroom = std::max(headroom, -shot.stops);
  }
  const auto clip = static_cast<float>(std::exp2(headroom));
  const SensorFrame& first = shots.front().frame;
  SensorFrame out;
  out.colour = first.colour;
  out.orientation = first.orientation;
  out.halved = first.halved;
  out.headroom = headroom;
  out.of_merged = true;
  if (!first.is_mosaic()) {
    out.rgb = Image(first.rgb.width, first.rgb.height);
    merge_bands<1>(
        exposures, moving, first.rgb.size(), 3, clip,
        [&](std::size_t s, int p, int y, float* to) {
          std::copy_n(shots[s].frame.rgb.planes[p].row(y), first.rgb.width, to);
        },
        [&](int p, int y, const float* row) {
          std::copy_n(row, first.rgb.width, out.rgb.planes[p].row(y));
        });
    return out;
  }
  Mosaic& m = out.mosaic;
  m.width = first.mosaic.width, m.height = first.mosaic.height;
  m.cfa = first.mosaic.cfa;
  m.stride = static_cast<std::size_t>(m.width);
  const std::size_t bytes = m.stride * static_cast<std::size_t>(m.height) * sizeof(float);
  const std::shared_ptr<float> light(static_cast<float*>(allocate_pixels(bytes)),
                                     [bytes](float* p) { free_pixels(p, bytes); });
  merge_bands<2>(
      exposures, moving, {m.width, m.height}, 1, clip,
      [&](std::size_t s, int, int y, float* to) { shots[s].frame.mosaic.light_row(y, to); },
      [&](int, int y, const float* row) {
        std::copy_n(row, m.width, light.get() + m.stride * static_cast<std::size_t>(y));
      });
  m.merged = light;
  return out;
}

}  // namespace tsukimi
