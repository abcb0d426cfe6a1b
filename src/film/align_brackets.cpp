// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/align_brackets.h"

#include <atomic>
#include <cmath>
#include <map>

#include "base/median.h"
#include "motion/registration.h"

namespace tsukimi {
namespace {

// Farther is no shake of a camera on a tripod: the pair was mistaken.
constexpr double kFarthest = 0.05;  // of the frame's width

struct Pair {
  std::size_t frame, shot;  // shot: among the others
  ShotOffset offset;
  bool known = false;
};

// As it lies in the file, in pixels of the sensor.
Point in_file(const Shift& shift, const Proxy& p) {
  const Point middle = point_in_file({0.5, 0.5}, p.orientation),
              moved = point_in_file({0.5 + shift.dx / p.width, 0.5 + shift.dy / p.height},
                                    p.orientation);
  const bool side = lies_on_its_side(p.orientation);
  return {(moved.x - middle.x) * (side ? p.height : p.width) * p.block,
          (moved.y - middle.y) * (side ? p.width : p.height) * p.block};
}

void measure(const FrameInfo& frame, std::span<Pair> pairs, ProxyStore& store) {
  FrameInfo own = frame;
  own.others.clear();
  own.as_if = 0;
  const auto first = store.get(own);
  if (!first) return;
  const Prepared here = prepare_shift(green_of(**first));
  for (Pair& pair : pairs) {
    const auto second = store.get(frame.others[pair.shot]);
    if (!second || (*second)->width != (*first)->width || (*second)->height != (*first)->height)
      continue;
    const Shift shift = measure_shift(here, prepare_shift(green_of(**second)));
    if (!shift.known || std::hypot(shift.dx, shift.dy) > kFarthest * (*first)->width) continue;
    const Point off = in_file(shift, **first);
    pair.offset.dx = off.x, pair.offset.dy = off.y;
    pair.known = true;
  }
}

}  // namespace

std::vector<ShotOffset> align_brackets(const Sequence& sequence, ProxyStore& store,
                                       const Work& work) {
  std::vector<Pair> pairs;
  std::vector<std::pair<std::size_t, std::size_t>> of_frame;  // first and last of its pairs
  for (std::size_t f = 0; f < sequence.frames.size(); ++f) {
    const FrameInfo& frame = sequence.frames[f];
    const std::size_t first = pairs.size();
    if (frame.usable() && frame.is_merged())
      for (std::size_t k = 0; k < frame.others.size(); ++k)
        pairs.push_back({f, k, {frame.others[k].file, 0, 0}});
    of_frame.emplace_back(first, pairs.size());
  }
  const int count = static_cast<int>(of_frame.size());
  std::atomic<int> done = 0;
  parallel_ranges(count, 1, [&](int from, int to) {
    for (int f = from; f < to && !work.stop(); ++f) {
      const auto [first, last] = of_frame[static_cast<std::size_t>(f)];
      if (last > first)
        measure(sequence.frames[static_cast<std::size_t>(f)],
                std::span(pairs).subspan(first, last - first), store);
      work.report(++done, count);
    }
  });
  if (work.stop()) return {};
  std::map<std::size_t, std::array<std::vector<double>, 2>> known;
  for (const Pair& pair : pairs)
    if (pair.known) {
      known[pair.shot][0].push_back(pair.offset.dx);
      known[pair.shot][1].push_back(pair.offset.dy);
    }
  std::map<std::size_t, Point> usual;
  for (auto& [shot, moves] : known)
    usual[shot] = {median(std::move(moves[0])), median(std::move(moves[1]))};
  std::vector<ShotOffset> out;
  for (Pair& pair : pairs) {
    if (const auto of = usual.find(pair.shot); !pair.known && of != usual.end())
      pair.offset.dx = of->second.x, pair.offset.dy = of->second.y;
    constexpr double kStep = 100;  // a hundredth of a pixel: what a file says is what is done
    pair.offset.dx = std::round(pair.offset.dx * kStep) / kStep;
    pair.offset.dy = std::round(pair.offset.dy * kStep) / kStep;
    if (pair.offset.dx != 0 || pair.offset.dy != 0) out.push_back(std::move(pair.offset));
  }
  return out;
}

}  // namespace tsukimi
