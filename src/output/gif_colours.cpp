// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/gif_colours.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/parallel.h"

namespace tsukimi {
namespace {

using Colour = std::array<float, 3>;
constexpr std::size_t kStep = 4, kSide = 256 / kStep, kCorners = kSide + 1;

std::size_t bin_of(GifPixel p) {
  return ((p >> 16 & 255) / kStep * kSide + (p >> 8 & 255) / kStep) * kSide + (p & 255) / kStep;
}
std::size_t corner(std::size_t r, std::size_t g, std::size_t b) {
  return (r * kCorners + g) * kCorners + b;
}

float distance(const Colour& a, const Colour& b) {
  // As eyes weigh them, roughly.
  const float r = a[0] - b[0], g = a[1] - b[1], v = a[2] - b[2];
  return 3 * r * r + 4 * g * g + 2 * v * v;
}
float luma(const Colour& c) { return 2 * c[0] + 4 * c[1] + c[2]; }

std::size_t nearest(const std::vector<Colour>& palette, const Colour& c) {
  std::size_t best = 0;
  float least = 1e30f;
  for (std::size_t i = 0; i < palette.size(); ++i)
    if (const float d = distance(palette[i], c); d < least) least = d, best = i;
  return best;
}

struct Weighted {
  Colour colour;
  double weight;
};

// A part of all colours, and how much they differ in it.
struct Part {
  std::size_t first, last;
  double spread = 0;
  std::size_t axis = 0;
};
Part part_of(const std::vector<Weighted>& colours, std::size_t first, std::size_t last) {
  Part out{first, last, 0, 0};
  for (std::size_t axis = 0; axis < 3; ++axis) {
    double n = 0, sum = 0, squares = 0;
    for (std::size_t i = first; i < last; ++i) {
      const double v = colours[i].colour[axis], w = colours[i].weight;
      n += w, sum += w * v, squares += w * v * v;
    }
    const double spread = squares - sum * sum / n;
    if (spread > out.spread) out.spread = spread, out.axis = axis;
  }
  return out;
}

Colour mean_of(const std::vector<Weighted>& colours, std::size_t first, std::size_t last) {
  double n = 0;
  std::array<double, 3> sum{};
  for (std::size_t i = first; i < last; ++i) {
    n += colours[i].weight;
    for (std::size_t c = 0; c < 3; ++c) sum[c] += colours[i].weight * colours[i].colour[c];
  }
  return {static_cast<float>(sum[0] / n), static_cast<float>(sum[1] / n),
          static_cast<float>(sum[2] / n)};
}

// The part that differs most is cut in two at its mean, until there are enough.
std::vector<Colour> cut(std::vector<Weighted> colours, std::size_t most) {
  std::vector<Part> parts{part_of(colours, 0, colours.size())};
  while (parts.size() < most) {
    const auto widest = std::ranges::max_element(parts, {}, &Part::spread);
    if (widest->spread <= 0) break;
    const Part p = *widest;
    const float at = mean_of(colours, p.first, p.last)[p.axis];
    const auto begin = colours.begin() + static_cast<std::ptrdiff_t>(p.first),
               end = colours.begin() + static_cast<std::ptrdiff_t>(p.last);
    const auto middle =
        std::stable_partition(begin, end, [&](const Weighted& w) { return w.colour[p.axis] < at; });
    if (middle == begin || middle == end) {
      widest->spread = 0;
      continue;
    }
    const auto split = static_cast<std::size_t>(middle - colours.begin());
    *widest = part_of(colours, p.first, split);
    parts.push_back(part_of(colours, split, p.last));
  }
  std::vector<Colour> out;
  for (const Part& p : parts) out.push_back(mean_of(colours, p.first, p.last));
  return out;
}

// Lloyd's rounds: each colour to the nearest of the palette, those to the mean of theirs.
void settle(const std::vector<Weighted>& colours, std::vector<Colour>& palette) {
  constexpr int kRounds = 8;
  std::vector<std::size_t> which(colours.size());
  for (int round = 0; round < kRounds; ++round) {
    parallel_ranges(static_cast<int>(colours.size()), 256, [&](int first, int last) {
      for (auto i = static_cast<std::size_t>(first); i < static_cast<std::size_t>(last); ++i)
        which[i] = nearest(palette, colours[i].colour);
    });
    std::vector<std::array<double, 4>> sums(palette.size());
    for (std::size_t i = 0; i < colours.size(); ++i) {
      auto& s = sums[which[i]];
      for (std::size_t c = 0; c < 3; ++c) s[c] += colours[i].weight * colours[i].colour[c];
      s[3] += colours[i].weight;
    }
    for (std::size_t k = 0; k < palette.size(); ++k)
      if (sums[k][3] > 0)
        for (std::size_t c = 0; c < 3; ++c)
          palette[k][c] = static_cast<float>(sums[k][c] / sums[k][3]);
  }
}

// The outermost colours, as seen from the middle along and between the axes: each is in the
// palette as it is.
std::vector<Colour> outermost(const std::vector<Weighted>& colours) {
  std::vector<Colour> out;
  for (int x = -1; x <= 1; ++x)
    for (int y = -1; y <= 1; ++y)
      for (int z = -1; z <= 1; ++z) {
        if (x == 0 && y == 0 && z == 0) continue;
        const Weighted* best = &colours[0];
        auto along = [&](const Colour& c) {
          return static_cast<float>(x) * c[0] + static_cast<float>(y) * c[1] +
                 static_cast<float>(z) * c[2];
        };
        for (const Weighted& w : colours)
          if (along(w.colour) > along(best->colour)) best = &w;
        if (std::ranges::find(out, best->colour) == out.end()) out.push_back(best->colour);
      }
  return out;
}

GifPixel pixel_of(const Colour& c) {
  auto code = [](float v) { return static_cast<GifPixel>(std::clamp(std::lround(v), 0L, 255L)); };
  return code(c[0]) << 16 | code(c[1]) << 8 | code(c[2]);
}
Colour colour_of(GifPixel p) {
  return {static_cast<float>(p >> 16 & 255), static_cast<float>(p >> 8 & 255),
          static_cast<float>(p & 255)};
}

// Sixteen of the palette, dark to bright, that are near to a colour and whose mean is that colour:
// begun with the nearest, and one exchanged for another as long as that is better.
std::array<std::uint8_t, 16> mixed(const std::vector<Colour>& palette, const Colour& wanted) {
  constexpr float kMean = 3;  // how much more the mean counts than that each is near
  constexpr std::size_t kNear = 48;
  constexpr int kMostRounds = 40;
  std::vector<std::uint8_t> near(palette.size());
  std::iota(near.begin(), near.end(), std::uint8_t{0});
  const std::size_t few = std::min(kNear, near.size());
  auto away = [&](std::uint8_t k) { return distance(palette[k], wanted); };
  std::ranges::partial_sort(near, near.begin() + static_cast<std::ptrdiff_t>(few), {}, away);
  near.resize(few);
  std::array<std::uint8_t, 16> out;
  out.fill(near[0]);
  Colour mean = palette[near[0]];
  for (int round = 0; round < kMostRounds; ++round) {
    std::size_t place = 0;
    std::uint8_t better = 0;
    float least = -1e-3f;
    for (std::size_t i = 0; i < out.size(); ++i) {
      if (i > 0 && out[i] == out[i - 1]) continue;  // they lie side by side
      const Colour& old = palette[out[i]];
      for (std::uint8_t k : near) {
        Colour other = mean;
        for (std::size_t c = 0; c < 3; ++c) other[c] += (palette[k][c] - old[c]) / 16;
        const float gain = kMean * (distance(other, wanted) - distance(mean, wanted)) +
                           (away(k) - away(out[i])) / 16;
        if (gain < least) least = gain, place = i, better = k;
      }
    }
    if (least >= -1e-3f) break;
    for (std::size_t c = 0; c < 3; ++c)
      mean[c] += (palette[better][c] - palette[out[place]][c]) / 16;
    out[place] = better;
    std::ranges::sort(out);
  }
  std::ranges::stable_sort(out, {}, [&](std::uint8_t k) { return luma(palette[k]); });
  return out;
}

}  // namespace

Colour GifColours::Bin::mean() const {
  const auto n = static_cast<float>(count);
  return {static_cast<float>(sum[0]) / n, static_cast<float>(sum[1]) / n,
          static_cast<float>(sum[2]) / n};
}

GifColours::GifColours() : bins_(kSide * kSide * kSide) {}

void GifColours::see(const GifPixel* pixels, std::size_t count) {
  for (std::size_t i = 0; i < count; ++i) {
    const GifPixel p = pixels[i];
    Bin& bin = bins_[bin_of(p)];
    ++bin.count;
    bin.sum[0] += p >> 16 & 255, bin.sum[1] += p >> 8 & 255, bin.sum[2] += p & 255;
  }
}

void GifColours::choose() {
  std::vector<Weighted> colours;
  std::vector<char> needed(kCorners * kCorners * kCorners, 0);
  for (std::size_t i = 0; i < bins_.size(); ++i) {
    if (bins_[i].count == 0) continue;
    colours.push_back({bins_[i].mean(), static_cast<double>(bins_[i].count)});
    const std::size_t r = i / (kSide * kSide), g = i / kSide % kSide, b = i % kSide;
    for (std::size_t k = 0; k < 8; ++k) needed[corner(r + k / 4, g + k / 2 % 2, b + k % 2)] = 1;
  }
  palette_.clear();
  mix_.assign(needed.size(), {});
  if (colours.empty()) return;
  std::vector<Colour> palette = outermost(colours);
  std::vector<Colour> inner = cut(colours, kColours - palette.size());
  settle(colours, inner);
  palette.insert(palette.end(), inner.begin(), inner.end());
  for (const Colour& c : palette) palette_.push_back(pixel_of(c));
  std::ranges::sort(palette_);
  palette_.erase(std::unique(palette_.begin(), palette_.end()), palette_.end());
  palette.clear();
  for (GifPixel p : palette_) palette.push_back(colour_of(p));
  parallel_ranges(static_cast<int>(needed.size()), 64, [&](int first, int last) {
    for (auto i = static_cast<std::size_t>(first); i < static_cast<std::size_t>(last); ++i)
      if (needed[i])
        mix_[i] = mixed(palette, {static_cast<float>(kStep * (i / (kCorners * kCorners))),
                                  static_cast<float>(kStep * (i / kCorners % kCorners)),
                                  static_cast<float>(kStep * (i % kCorners))});
  });
}

void GifColours::draw(const GifPixel* pixels, int width, int row, std::uint8_t* out) const {
  constexpr std::uint8_t kPattern[4][4] = {
      {0, 8, 2, 10}, {12, 4, 14, 6}, {3, 11, 1, 9}, {15, 7, 13, 5}};
  // How many of four steps count as the next corner, by the cell of the pattern; each channel by
  // itself.
  constexpr GifPixel kCells[4][4] = {{0, 2, 1, 3}, {3, 1, 2, 0}, {1, 3, 0, 2}, {2, 0, 3, 1}};
  const auto y = static_cast<std::size_t>(row);
  for (int column = 0; column < width; ++column) {
    const auto x = static_cast<std::size_t>(column);
    const std::size_t cx = x / 4, cy = y / 4;
    auto at = [&](GifPixel v, std::size_t shift) {
      return ((v & 255) + kCells[(cy + shift) & 3][(cx + 2 * shift) & 3]) / kStep;
    };
    const GifPixel p = pixels[column];
    out[column] = mix_[corner(at(p >> 16, 0), at(p >> 8, 1), at(p, 2))][kPattern[y & 3][x & 3]];
  }
}

}  // namespace tsukimi
