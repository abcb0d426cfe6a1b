// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/dust_moves.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/median.h"
#include "image/bilinear.h"
#include "motion/similarity.h"

namespace tsukimi {
namespace {

constexpr double kFarthest = 2;  // pixels of wobble: more is a bump
constexpr int kBlocks = kBlocksAcross * kBlocksDown;

// Half as large, which is enough to see what goes where; small ones as they are.
struct Coarse {
  SlopedFrame frame;
  double times = 1;  // pixels of the stack in one of its own
};
Coarse coarse(const DustStack& stack, int k) {
  if (stack.width < 2 * kLeastBlockSide * kBlocksAcross ||
      stack.height < 2 * kLeastBlockSide * kBlocksDown)
    return {stack.sloped(k), 1};
  const DustStack::Stops fine = stack.stops_of(k);
  Plane known = half_size(fine.known);
  for (float& v : known.data) v = v > 0.999f ? 1.0f : 0.0f;
  return {slope_frame(half_size(fine.stops), known), 2};
}

// Runs of frames that follow each other, from..to before which they end.
struct Run {
  int from, to;
};
std::vector<Run> runs_of(const DustStack& stack) {
  constexpr int kLongest = 64;
  std::vector<Run> out;
  for (int k = 0; k < std::ssize(stack.frames); ++k) {
    if (out.empty() || !stack.follows(k) || k - out.back().from >= kLongest) out.push_back({k, k});
    out.back().to = k + 1;
  }
  return out;
}

// How far each block goes by itself, in a step: in the middle of the run's steps.
std::vector<BlockMove> drifts_of(const std::vector<std::vector<BlockMove>>& steps,
                                 const std::vector<Shift>& shaken) {
  constexpr std::size_t kFewest = 5;
  std::vector<BlockMove> out(kBlocks);
  for (std::size_t b = 0; b < kBlocks; ++b) {
    std::vector<double> x, y;
    for (std::size_t k = 0; k < steps.size(); ++k)
      if (steps[k][b].known && shaken[k].known)
        x.push_back(steps[k][b].x - shaken[k].dx), y.push_back(steps[k][b].y - shaken[k].dy);
    if (x.size() < std::max(kFewest, steps.size() / 4)) continue;
    out[b] = {median(x), median(y), true};
  }
  // Dust itself holds an even part of a sky back: what goes by is one thing over several blocks.
  std::vector<BlockMove> even(kBlocks);
  for (int b = 0; b < kBlocks; ++b) {
    std::vector<double> x, y;
    for (int row = b / kBlocksAcross - 1; row <= b / kBlocksAcross + 1; ++row)
      for (int column = b % kBlocksAcross - 1; column <= b % kBlocksAcross + 1; ++column) {
        if (row < 0 || column < 0 || row >= kBlocksDown || column >= kBlocksAcross) continue;
        const BlockMove& near = out[static_cast<std::size_t>(row * kBlocksAcross + column)];
        if (near.known) x.push_back(near.x), y.push_back(near.y);
      }
    constexpr std::size_t kFewestNear = 3;
    if (x.size() >= kFewestNear) even[static_cast<std::size_t>(b)] = {median(x), median(y), true};
  }
  return even;
}

void leave_out_what_moves(Plane& known, const std::vector<char>& still) {
  for (int y = 0; y < known.height; ++y)
    for (int x = 0; x < known.width; ++x)
      if (!still[static_cast<std::size_t>(y * kBlocksDown / known.height * kBlocksAcross +
                                          x * kBlocksAcross / known.width)])
        known.at(x, y) = 0;
}

// Between four pixels; false where one is not known, or there is none.
bool between(const Layered& of, const Relative& frame, double x, double y, float& value) {
  const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
  if (ix < 0 || iy < 0 || ix + 1 >= of.width || iy + 1 >= of.height) return false;
  const std::int16_t* at = frame.data() + of.index(ix, iy);
  const float a = at[0], b = at[1], c = at[of.width], d = at[of.width + 1];
  if (std::min(std::min(a, b), std::min(c, d)) == Layered::kNotKnown) return false;
  value = mixed(a, b, c, d, static_cast<float>(x - ix), static_cast<float>(y - iy));
  return true;
}

}  // namespace

DustMoves measure_moves(const DustStack& stack, const Work& work) {
  const auto count = stack.frames.size();
  DustMoves out;
  out.shifts.resize(count);
  out.run.resize(count);
  const std::vector<Run> runs = runs_of(stack);
  std::vector<double> doubts(count, 1e9), known_doubts;
  int done = 0;
  for (const Run& run : runs) {
    const auto length = static_cast<std::size_t>(run.to - run.from);
    std::vector<Coarse> frames;
    std::vector<std::vector<BlockMove>> steps;
    for (int k = run.from; k < run.to && !work.stop(); ++k) {
      frames.push_back(coarse(stack, k));
      if (frames.size() > 1)
        steps.push_back(block_moves((frames.end() - 2)->frame, frames.back().frame, {}));
      work.report(++done, 2 * static_cast<int>(count));
    }
    if (frames.size() < length) break;
    const double times = frames.front().times;
    const Layers layers = find_layers(steps);
    // The ground's blocks say about how the camera moved, and then all its pixels.
    std::vector<Shift> about;
    for (auto& moves : steps) {
      std::vector<double> x, y;
      for (std::size_t b = 0; b < moves.size(); ++b)
        if (moves[b].known && (layers.still.empty() || layers.still[b]))
          x.push_back(moves[b].x), y.push_back(moves[b].y);
      about.push_back({median(x), median(y), x.size() >= 3});
    }
    for (std::size_t k = 0; k < length; ++k, work.report(++done, 2 * static_cast<int>(count))) {
      const auto at = static_cast<std::size_t>(run.from) + k;
      out.run[at] = out.drifts.size();
      if (!layers.still.empty()) leave_out_what_moves(frames[k].frame.known, layers.still);
      if (k == 0) continue;
      // Small pictures have no blocks to follow: then it is looked for round no movement.
      const auto m = measure_similarity(frames[k - 1].frame, frames[k].frame, about[k - 1], true);
      const Shift shift{times * m.move.dx, times * m.move.dy, true};
      if (!m.known || std::hypot(shift.dx, shift.dy) >= kFarthest) continue;
      out.shifts[at - 1] = shift;
      doubts[at - 1] = m.doubt;
      known_doubts.push_back(m.doubt);
    }
    auto in_pixels = [times](auto& moves) {
      for (auto& m : moves) m.x *= times, m.y *= times;
    };
    for (auto& moves : steps) in_pixels(moves);
    for (Shift& s : about) s.dx *= times, s.dy *= times;
    out.drifts.push_back(drifts_of(steps, about));
  }
  // A frame that something happened to does not fit its neighbours.
  const double most = 2.5 * median(known_doubts);
  for (std::size_t k = 0; k < count; ++k) out.shifts[k].known &= doubts[k] <= most;
  return out;
}

std::vector<FixedPattern> fixed_patterns(const DustStack& stack, const DustMoves& moves,
                                         const std::vector<int>& part, int parts,
                                         const Work& work) {
  std::vector<FixedPattern> out(static_cast<std::size_t>(parts),
                                FixedPattern(stack.width, stack.height));
  const int count = static_cast<int>(stack.frames.size());
  auto part_at = [&](int k) { return part[static_cast<std::size_t>(k)]; };
  // Three frames at a time, each made once.
  std::array<SlopedFrame, 3> kept;
  std::array<int, 3> which{-1, -1, -1};
  auto frame = [&](int k) -> const SlopedFrame& {
    const auto slot = static_cast<std::size_t>(k % 3);
    if (which[slot] != k) kept[slot] = stack.sloped(k), which[slot] = k;
    return kept[slot];
  };
  for (int k = 1; k + 1 < count && !work.stop(); ++k) {
    work.report(k, count);
    const int here = part_at(k);
    const Shift &before = moves.shifts[static_cast<std::size_t>(k - 1)],
                &after = moves.shifts[static_cast<std::size_t>(k)];
    if (here < 0 || !before.known || !after.known || part_at(k - 1) != here ||
        part_at(k + 1) != here)
      continue;
    out[static_cast<std::size_t>(here)].add(frame(k - 1), frame(k), frame(k + 1),
                                            {-before.dx, -before.dy}, after);
  }
  return out;
}

Layered passing(const DustStack& stack, const DustMoves& moves, const std::vector<int>& frames,
                const Work& work) {
  constexpr int kMostSamples = 40, kMostSteps = 24;
  constexpr double kLeastWay = 8, kLeastDrift = 0.15;  // pixels
  const double wanted = 2.2 * largest_dust(stack.width) + 3;
  Layered out;
  out.width = stack.width, out.height = stack.height;
  const auto every = std::max<std::size_t>(1, frames.size() / kMostSamples);
  // Whether frame `to` is seen through the same aperture, in the same run of shots.
  std::vector<char> in_group(stack.frames.size(), 0);
  for (int k : frames) in_group[static_cast<std::size_t>(k)] = 1;
  auto reaches = [&](int from, int to) {
    if (to < 0 || to >= std::ssize(stack.frames) || !in_group[static_cast<std::size_t>(to)])
      return false;
    return stack.numbers[static_cast<std::size_t>(to)] -
               stack.numbers[static_cast<std::size_t>(from)] ==
           to - from;
  };
  // How far the camera moved from one to the other.
  auto shaken = [&](int from, int to) {
    Shift sum{0, 0, true};
    for (int k = std::min(from, to); k < std::max(from, to); ++k) {
      const Shift& s = moves.shifts[static_cast<std::size_t>(k)];
      const double sign = to > from ? 1 : -1;
      sum.dx += sign * s.dx, sum.dy += sign * s.dy;
    }
    return sum;
  };
  for (std::size_t i = 0; i < frames.size() && !work.stop(); i += every) {
    const int k = frames[i];
    const Relative& here = stack.frames[static_cast<std::size_t>(k)];
    Relative sample(here.size(), Layered::kNotKnown);
    const auto& drifts = moves.drifts[moves.run[static_cast<std::size_t>(k)]];
    parallel_ranges(kBlocks, kBlocksAcross, [&](int first, int last) {
      for (int b = first; b < last; ++b) {
        const BlockMove& v = drifts[static_cast<std::size_t>(b)];
        const double speed = std::hypot(v.x, v.y);
        if (!v.known || speed < kLeastDrift) continue;
        const int steps = std::min(kMostSteps, static_cast<int>(std::ceil(wanted / speed)));
        if (steps * speed < kLeastWay) continue;
        const int x0 = b % kBlocksAcross * stack.width / kBlocksAcross,
                  x1 = (b % kBlocksAcross + 1) * stack.width / kBlocksAcross,
                  y0 = b / kBlocksAcross * stack.height / kBlocksDown,
                  y1 = (b / kBlocksAcross + 1) * stack.height / kBlocksDown;
        // Before and after, so that what changes evenly cancels.
        std::array<Shift, 2> way;
        std::array<const Relative*, 2> there{};
        for (int side = 0; side < 2; ++side) {
          const int n = side ? steps : -steps;
          if (!reaches(k, k + n)) continue;
          const Shift wobble = shaken(k, k + n);
          way[static_cast<std::size_t>(side)] = {n * v.x + wobble.dx, n * v.y + wobble.dy, true};
          there[static_cast<std::size_t>(side)] = &stack.frames[static_cast<std::size_t>(k + n)];
        }
        for (int y = y0; y < y1; ++y)
          for (int x = x0; x < x1; ++x) {
            const auto own = here[stack.index(x, y)];
            if (own == Layered::kNotKnown) continue;
            float sum = 0;
            int sides = 0;
            for (std::size_t side = 0; side < 2; ++side) {
              if (!there[side]) continue;
              float value = 0;
              if (!between(stack, *there[side], x + way[side].dx, y + way[side].dy, value))
                continue;
              sum += value, ++sides;
            }
            if (sides > 0)
              sample[stack.index(x, y)] = static_cast<std::int16_t>(std::clamp(
                  static_cast<float>(own) - sum / static_cast<float>(sides), -30000.0f, 30000.0f));
          }
      }
    });
    out.frames.push_back(std::move(sample));
  }
  return out;
}

}  // namespace tsukimi
