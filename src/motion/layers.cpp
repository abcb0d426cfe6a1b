// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/layers.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/median.h"
#include "base/solve.h"
#include "image/guided.h"

namespace tsukimi {
namespace {

constexpr int kBlocks = kBlocksAcross * kBlocksDown;
constexpr int kRimOfFrame = 6;      // px at the border that are not looked at
constexpr double kFewestSeen = 60;  // pixels

struct Place {
  int x0, x1, y0, y1;
};
Place place_of(int block, int w, int h) {
  const int row = block / kBlocksAcross, column = block % kBlocksAcross;
  return {std::max(kRimOfFrame, column * w / kBlocksAcross),
          std::min(w - kRimOfFrame, (column + 1) * w / kBlocksAcross),
          std::max(kRimOfFrame, row * h / kBlocksDown),
          std::min(h - kRimOfFrame, (row + 1) * h / kBlocksDown)};
}

// One block, from a first guess on. left: the share of its structure that is not explained at last.
struct Followed {
  double x = 0, y = 0, left = 1;
};
Followed follow(const SlopedFrame& a, const SlopedFrame& b, const Place& p, double x, double y) {
  constexpr int kRounds = 5;
  constexpr double kFarthest = 4.5, kDone = 0.01;  // px
  Followed out{x, y, 1};
  const double sx = x, sy = y;
  for (int round = 0; round < kRounds; ++round) {
    const Plane there = displaced_part(b.stops, {out.x, out.y}, p.x0, p.y0, p.x1, p.y1);
    double n = 0, xx = 0, xy = 0, yy = 0, xr = 0, yr = 0, rr = 0, gx = 0, gy = 0, sum = 0, s = 0,
           ss = 0;
    for (int py = p.y0; py < p.y1; ++py)
      for (int px = p.x0; px < p.x1; ++px) {
        if (a.known.at(px, py) == 0 || b.known.at(px, py) == 0) continue;
        const double fx = a.slope_x.at(px, py), fy = a.slope_y.at(px, py), v = a.stops.at(px, py),
                     r = there.at(px - p.x0, py - p.y0) - v;
        ++n, xx += fx * fx, xy += fx * fy, yy += fy * fy, xr += fx * r, yr += fy * r, rr += r * r;
        gx += fx, gy += fy, sum += r, s += v, ss += v * v;
      }
    if (n < kFewestSeen) return out;
    // Another brightness moves nothing.
    xx -= gx * gx / n, xy -= gx * gy / n, yy -= gy * gy / n;
    xr -= gx * sum / n, yr -= gy * sum / n, rr -= sum * sum / n, ss -= s * s / n;
    const double det = xx * yy - xy * xy, trace = xx + yy;
    // Along an edge every shift fits: both directions need structure.
    constexpr double kLeastShape = 0.02, kLeastSlope = 4e-5;
    if (det < kLeastShape * trace * trace || trace < kLeastSlope * n) return out;
    const double dx = (yy * xr - xy * yr) / det, dy = (xx * yr - xy * xr) / det;
    out.left = std::max(rr - dx * xr - dy * yr, 0.0) / std::max(ss, 1e-12);
    // there(x) - a(x) = slope . d where b is displaced by too little.
    out.x -= dx, out.y -= dy;
    if (std::hypot(out.x - sx, out.y - sy) > kFarthest) return {x, y, 1};
    if (std::hypot(dx, dy) < kDone) break;
  }
  return out;
}

// What blocks do against each other over the run: how far they part in a step, in the mean.
struct Apart {
  double x = 0, y = 0, spread = 0;
  int steps = 0;
};

Apart apart(std::span<const std::vector<BlockMove>> steps, std::size_t i, std::size_t j) {
  std::vector<double> x, y;
  for (const auto& moves : steps)
    if (moves[i].known && moves[j].known)
      x.push_back(moves[i].x - moves[j].x), y.push_back(moves[i].y - moves[j].y);
  Apart out;
  out.steps = static_cast<int>(x.size());
  if (x.size() < 3) return out;
  out.x = median(x), out.y = median(y);
  std::vector<double> away;
  for (std::size_t k = 0; k < x.size(); ++k) away.push_back(std::hypot(x[k] - out.x, y[k] - out.y));
  out.spread = median(away);
  return out;
}

double mean(const std::vector<double>& v) {
  double sum = 0;
  for (double d : v) sum += d;
  return v.empty() ? 0 : sum / static_cast<double>(v.size());
}

}  // namespace

static std::vector<BlockMove> moves(const SlopedFrame& a, const SlopedFrame& b, const Shift& about,
                                    std::span<const char> wanted) {
  constexpr double kMostLeft = 0.45;
  std::vector<BlockMove> out(kBlocks);
  if (a.stops.width < kLeastBlockSide * kBlocksAcross ||
      a.stops.height < kLeastBlockSide * kBlocksDown)
    return out;
  for (int k = 0; k < kBlocks; ++k) {
    if (!wanted.empty() && !wanted[static_cast<std::size_t>(k)]) continue;
    const Place p = place_of(k, a.stops.width, a.stops.height);
    Followed best = follow(a, b, p, 0, 0);
    if (about.known && std::hypot(about.dx, about.dy) > 0.3)
      if (const Followed other = follow(a, b, p, about.dx, about.dy); other.left < best.left)
        best = other;
    out[static_cast<std::size_t>(k)] = {best.x, best.y, best.left < kMostLeft};
  }
  return out;
}

std::vector<BlockMove> block_moves(const SlopedFrame& a, const SlopedFrame& b, const Shift& about) {
  return moves(a, b, about, {});
}

Shift shift_of(const SlopedFrame& a, const SlopedFrame& b, const Shift& about,
               std::span<const char> still) {
  std::vector<double> x, y;
  for (const BlockMove& m : moves(a, b, about, still))
    if (m.known) x.push_back(m.x), y.push_back(m.y);
  return {median(x), median(y), x.size() >= 3};
}

// Through most of the run.
static bool is_followed(std::span<const std::vector<BlockMove>> steps, std::size_t block) {
  const auto enough = std::max<std::size_t>(3, steps.size() / 4);
  return static_cast<std::size_t>(std::ranges::count_if(
             steps, [block](const auto& moves) { return moves[block].known; })) >= enough;
}

namespace {

// The blocks that are followed, and how far each goes in a step: shaking has a mean of nothing over
// the run.
struct FollowedBlocks {
  std::vector<std::size_t> blocks;
  std::vector<double> speed_x, speed_y;  // px a step, of each
  std::vector<double> shaken;            // px, of each in every step

  explicit FollowedBlocks(std::span<const std::vector<BlockMove>> steps) {
    for (std::size_t b = 0; b < kBlocks; ++b)
      if (is_followed(steps, b)) blocks.push_back(b);
    for (std::size_t b : blocks) {
      std::vector<double> x, y;
      for (const auto& moves : steps)
        if (moves[b].known) x.push_back(moves[b].x), y.push_back(moves[b].y);
      speed_x.push_back(mean(x)), speed_y.push_back(mean(y));
      for (std::size_t k = 0; k < x.size(); ++k)
        shaken.push_back(std::hypot(x[k] - speed_x.back(), y[k] - speed_y.back()));
    }
  }
  std::size_t size() const { return blocks.size(); }
};

// Which of the followed blocks go together, by pairs.
struct BlockPairs {
  std::size_t n;
  std::vector<char> together, parted;  // parted: surely, and not by a turn that comes back

  BlockPairs(std::span<const std::vector<BlockMove>> steps, const FollowedBlocks& seen)
      : n(seen.size()), together(n * n, 1), parted(n * n, 0) {
    constexpr double kTogether = 0.06;  // px a step: blocks of one layer differ by no more
    constexpr double kShaken = 0.7;     // the same in a single step, where the camera turns
    constexpr double kByChance = 2;     // standard errors of the mean over the steps
    constexpr double kLeaves = 0.15, kSurely = 3;
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t j = 0; j < i; ++j) {
        const Apart a = apart(steps, seen.blocks[i], seen.blocks[j]);
        const double goes = std::hypot(a.x, a.y), error = a.spread / std::sqrt(a.steps);
        together[i * n + j] = together[j * n + i] =
            a.steps >= 3 && a.spread <= kShaken && goes <= std::max(kTogether, kByChance * error);
        parted[i * n + j] = parted[j * n + i] =
            a.steps >= 3 && goes > std::max(kLeaves, kSurely * error);
      }
  }
};

// Those that go with a block.
struct Layer {
  std::size_t seed;  // places among the followed ones
  std::vector<std::size_t> blocks;
  double speed = 0;  // px a step
};

// A layer round each block, but for those that hardly anything goes with.
std::vector<Layer> layers_of(const FollowedBlocks& seen, const BlockPairs& pairs) {
  constexpr std::size_t kLeastBlocks = 6;
  std::vector<Layer> out;
  for (std::size_t i = 0; i < seen.size(); ++i) {
    Layer layer{i, {}, 0};
    std::vector<double> x, y;
    for (std::size_t j = 0; j < seen.size(); ++j) {
      if (!pairs.together[i * pairs.n + j]) continue;
      layer.blocks.push_back(j);
      x.push_back(seen.speed_x[j]), y.push_back(seen.speed_y[j]);
    }
    layer.speed = std::hypot(median(x), median(y));
    if (layer.blocks.size() >= kLeastBlocks) out.push_back(std::move(layer));
  }
  return out;
}

}  // namespace

Layers find_layers(std::span<const std::vector<BlockMove>> steps) {
  constexpr double kLeastOther = 0.12;  // of the blocks that are followed
  Layers out;
  const FollowedBlocks seen(steps);
  // Over a few steps shaking and drifting look alike.
  constexpr std::size_t kFewestSteps = 10, kFewestBlocks = 10;
  if (steps.size() < kFewestSteps || seen.size() < kFewestBlocks) return out;
  const BlockPairs pairs(steps, seen);
  const std::vector<Layer> layers = layers_of(seen, pairs);
  if (layers.empty()) return out;
  // The ground is a layer that comes back, of several the largest. Where all of them go on it is
  // the camera that pans: the largest then.
  // So slow may be what only shakes: px a step.
  const double at_rest =
      std::max(0.12, 1.5 * median(seen.shaken) / std::sqrt(static_cast<double>(steps.size())));
  out.comes_back = std::ranges::any_of(layers, [&](const Layer& l) { return l.speed < at_rest; });
  const Layer* ground = nullptr;
  for (const Layer& l : layers)
    if ((!out.comes_back || l.speed < at_rest) &&
        (!ground || l.blocks.size() > ground->blocks.size()))
      ground = &l;
  std::vector<char> still(kBlocks, 0);
  for (std::size_t i : ground->blocks) still[seen.blocks[i]] = 1;
  // The largest of the others that leave it.
  for (const Layer& l : layers) {
    if (!pairs.parted[l.seed * pairs.n + ground->seed]) continue;
    std::vector<char> others(kBlocks, 0);
    for (std::size_t i : l.blocks) others[seen.blocks[i]] = !still[seen.blocks[i]];
    const double share =
        static_cast<double>(std::ranges::count(others, 1)) / static_cast<double>(seen.size());
    if (share > out.other) out.other = share, out.moving = std::move(others);
  }
  out.speed = ground->speed;
  if (out.other < kLeastOther) return out;
  out.still = std::move(still);
  return out;
}

// What is left where b is displaced so, squared and summed over a few pixels round each.
static Plane misfit(const SlopedFrame& a, const SlopedFrame& b, const Shift& by) {
  Plane out = displaced(b.stops, by);
  for (std::size_t i = 0; i < out.data.size(); ++i) {
    const float r = out.data[i] - a.stops.data[i];
    out.data[i] = a.known.data[i] > 0 && b.known.data[i] > 0 ? r * r : 0;
  }
  return box_mean(out, 2);
}

// How what stands still and what does not went in each step.
struct Ways {
  Shift still, moving;
  bool known() const { return still.known && moving.known; }
};

static std::vector<Ways> ways_of(std::span<const SlopedFrame> frames, const Layers& layers) {
  std::vector<Ways> out;
  double x = 0, y = 0, n = 0;
  for (std::size_t k = 1; k < frames.size(); ++k) {
    const SlopedFrame &a = frames[k - 1], &b = frames[k];
    const Shift moving = shift_of(a, b, layers.about[k - 1], layers.moving);
    out.push_back({layers.soft ? moving : shift_of(a, b, {}, layers.still), moving});
    if (moving.known) x += moving.dx, y += moving.dy, ++n;
  }
  // By as much as the rest, but for what that goes on by: what is left shakes.
  if (layers.soft && n > 0)
    for (Ways& w : out) w.still.dx -= x / n, w.still.dy -= y / n;
  return out;
}

// What both ways leave at each pixel over the run, and what noise alone would.
struct Misfits {
  Plane at_rest, along;
};
static Misfits misfits(std::span<const SlopedFrame> frames, const Layers& layers) {
  constexpr float kNoise = 2e-4f;  // stops squared, of a step
  Misfits out;
  out.at_rest = Plane(frames[0].stops.width, frames[0].stops.height);
  std::ranges::fill(out.at_rest.data, kNoise * static_cast<float>(frames.size()));
  out.along = out.at_rest;
  const std::vector<Ways> ways = ways_of(frames, layers);
  for (std::size_t k = 1; k < frames.size(); ++k) {
    const SlopedFrame &a = frames[k - 1], &b = frames[k];
    const Ways& way = ways[k - 1];
    if (!way.known()) continue;
    const Plane stays = misfit(a, b, way.still), goes = misfit(a, b, way.moving);
    for (std::size_t i = 0; i < stays.data.size(); ++i)
      out.at_rest.data[i] += stays.data[i], out.along.data[i] += goes.data[i];
  }
  return out;
}

Plane still_pixels(std::span<const SlopedFrame> frames, const Layers& layers) {
  const auto [at_rest, along] = misfits(frames, layers);
  // Where both fit as well there is nothing to see, and the block says whose it is.
  constexpr float kClearly = 0.75f;
  Plane out(at_rest.width, at_rest.height);
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x) {
      const float g = at_rest.at(x, y), o = along.at(x, y);
      const int block = std::min(y * kBlocksDown / out.height, kBlocksDown - 1) * kBlocksAcross +
                        std::min(x * kBlocksAcross / out.width, kBlocksAcross - 1);
      out.at(x, y) = g < kClearly * o                                ? 1.0f
                     : o < kClearly * g                              ? 0.0f
                     : layers.still[static_cast<std::size_t>(block)] ? 1.0f
                                                                     : 0.0f;
    }
  // Specks are taken out, and a rim as wide as the smoothing reaches.
  Plane most = box_mean(out, 4);
  for (float& v : most.data) v = v > 0.5f ? 1.0f : 0.0f;
  constexpr int kRim = 4;
  Plane rim = box_mean(most, kRim);
  for (std::size_t i = 0; i < rim.data.size(); ++i)
    rim.data[i] = rim.data[i] > 0.999f ? 1.0f : 0.0f;
  return rim;
}

Layers with_left_behind(std::span<const SlopedFrame> frames,
                        std::span<const std::vector<BlockMove>> steps, Layers layers) {
  constexpr float kSurely = 0.4f;  // of what is left where it goes along
  constexpr std::ptrdiff_t kFewest = 8;
  std::vector<char> followed(kBlocks);
  for (std::size_t b = 0; b < kBlocks; ++b) followed[b] = is_followed(steps, b);
  Layers soft = layers;
  soft.soft = true, soft.moving = followed;
  const auto [at_rest, along] = misfits(frames, soft);
  soft.still.assign(kBlocks, 0);
  for (std::size_t b = 0; b < kBlocks; ++b) {
    const Place p = place_of(static_cast<int>(b), at_rest.width, at_rest.height);
    // Most pixels of it, not a few hot ones.
    int stay = 0;
    for (int y = p.y0; y < p.y1; ++y)
      for (int x = p.x0; x < p.x1; ++x) stay += at_rest.at(x, y) < kSurely * along.at(x, y);
    soft.still[b] = 2 * stay > (p.x1 - p.x0) * (p.y1 - p.y0);
    soft.moving[b] = followed[b] && !soft.still[b];
  }
  if (std::ranges::count(soft.still, 1) < kFewest) return layers;
  soft.speed = 0;
  soft.other = static_cast<double>(std::ranges::count(soft.moving, 1)) / kBlocks;
  return soft;
}

}  // namespace tsukimi
