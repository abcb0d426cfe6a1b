#include "film/dust_stack.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/median.h"
#include "film/relative_light.h"
#include "image/fast_math.h"
#include "image/guided.h"
#include "motion/registration.h"

namespace tsukimi {
namespace {

constexpr int kMostFrames = 120, kRuns = 8;
constexpr int kPasses = 3;  // over the frames: reading, shifts, what they tell

std::int16_t stored(float stops) {
  return static_cast<std::int16_t>(std::clamp(stops * DustStack::kUnit, -30000.0f, 30000.0f));
}

void add_frame(DustStack& stack, const Proxy& proxy, double aperture, int number) {
  const Image rgb = unpack(proxy);
  const int reach = 3 * largest_dust(rgb.width);
  const RelativeLight light = relative_light(rgb, reach);
  auto kept = [&](const Plane& stops) {
    Relative out(stops.data.size());
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = light.known.data[i] > 0 ? stored(stops.data[i]) : DustStack::kNotKnown;
    return out;
  };
  // A colour against green, against what lies round it.
  auto colour = [&](const Plane& plane) {
    Plane stops(rgb.width, rgb.height);
    for (std::size_t i = 0; i < stops.data.size(); ++i)
      stops.data[i] = fast_log2(std::max(plane.data[i], kDarkestKnown)) -
                      fast_log2(std::max(rgb.planes[1].data[i], kDarkestKnown));
    const Plane around = box_mean(stops, reach);
    for (std::size_t i = 0; i < stops.data.size(); ++i) stops.data[i] -= around.data[i];
    return kept(stops);
  };
  stack.frames.push_back(kept(light.stops));
  stack.red.push_back(colour(rgb.planes[0]));
  stack.blue.push_back(colour(rgb.planes[2]));
  stack.apertures.push_back(aperture);
  stack.numbers.push_back(number);
}

// Which frames: all, or runs of them.
std::vector<int> chosen(int count) {
  std::vector<int> out;
  if (count <= kMostFrames) {
    out.resize(static_cast<std::size_t>(count));
    std::iota(out.begin(), out.end(), 0);
    return out;
  }
  constexpr int kLong = kMostFrames / kRuns;
  for (int run = 0; run < kRuns; ++run) {
    const int first =
        static_cast<int>(static_cast<std::int64_t>(run) * (count - kLong) / (kRuns - 1));
    for (int k = 0; k < kLong; ++k) out.push_back(first + k);
  }
  return out;
}

// The middle of what is known at a pixel, in stops; 0 where hardly anything is.
float median_at(const std::vector<Relative>& frames, const std::vector<int>& which, std::size_t i,
                std::vector<std::int16_t>& scratch) {
  scratch.clear();
  for (int k : which)
    if (const auto v = frames[static_cast<std::size_t>(k)][i]; v != DustStack::kNotKnown)
      scratch.push_back(v);
  if (scratch.size() < DustStack::kFewest / 2) return 0;
  const auto middle = scratch.begin() + static_cast<std::ptrdiff_t>(scratch.size() / 2);
  std::nth_element(scratch.begin(), middle, scratch.end());
  return *middle / DustStack::kUnit;
}

// A frame of the stack, to be compared with its neighbours.
SlopedFrame sloped(const DustStack& stack, int k) {
  Plane stops(stack.width, stack.height), known(stack.width, stack.height);
  const Relative& from = stack.frames[static_cast<std::size_t>(k)];
  for (std::size_t i = 0; i < from.size(); ++i) {
    known.data[i] = from[i] == DustStack::kNotKnown ? 0.0f : 1.0f;
    stops.data[i] = known.data[i] > 0 ? from[i] / DustStack::kUnit : 0.0f;
  }
  return slope_frame(stops, known);
}

Prepared prepared(const SlopedFrame& frame) {
  Plane light = frame.stops;
  for (float& v : light.data) v = fast_exp2(v);
  return prepare_shift(light);
}

}  // namespace

int largest_dust(int width) { return std::max(4, width / 90); }

std::vector<int> DustStack::all() const {
  std::vector<int> out(frames.size());
  std::iota(out.begin(), out.end(), 0);
  return out;
}

Plane DustStack::medians(const std::vector<Relative>& of, const std::vector<int>& which) const {
  return medians(of, which, 0, 0, width, height);
}

Plane DustStack::medians(const std::vector<Relative>& of, const std::vector<int>& which, int x0,
                         int y0, int w, int h) const {
  Plane out(w, h);
  parallel_rows(h, [&](int first, int last) {
    std::vector<std::int16_t> scratch;
    for (int y = first; y < last; ++y)
      for (int x = 0; x < w; ++x)
        out.at(x, y) = median_at(of, which, index(x0 + x, y0 + y), scratch);
  });
  return out;
}

DustStack read_dust_stack(const std::vector<DustFrame>& frames, const Work& work) {
  DustStack out;
  const auto which = chosen(static_cast<int>(frames.size()));
  for (std::size_t k = 0; k < which.size() && !work.stop(); ++k) {
    const DustFrame& frame = frames[static_cast<std::size_t>(which[k])];
    const auto proxy = frame.proxy();
    work.report(static_cast<int>(k + 1), kPasses * static_cast<int>(which.size()));
    if (!proxy) continue;
    const Proxy& p = **proxy;
    if (out.width == 0) {
      out.width = p.width, out.height = p.height;
      out.covered = part_of_proxy(p, {}).w;
    }
    if (p.width == out.width && p.height == out.height) add_frame(out, p, frame.aperture, which[k]);
  }
  return out;
}

std::vector<FixedPattern> fixed_patterns(const DustStack& stack, const std::vector<int>& part,
                                         int parts, const Work& work) {
  constexpr double kFarthest = 2;  // pixels: more is a bump
  std::vector<FixedPattern> out(static_cast<std::size_t>(parts),
                                FixedPattern(stack.width, stack.height));
  const int count = static_cast<int>(stack.frames.size());
  // Shifts to the next frame first, then what they tell: which frames fit shows in all of them.
  std::vector<MeasuredSimilarity> shifts(stack.frames.size());
  std::optional<SlopedFrame> last;
  Prepared last_prepared;
  for (int k = 0; k < count && !work.stop(); ++k) {
    work.report(count + k, kPasses * count);
    SlopedFrame now = sloped(stack, k);
    Prepared now_prepared = prepared(now);
    if (last && stack.numbers[static_cast<std::size_t>(k)] ==
                    stack.numbers[static_cast<std::size_t>(k - 1)] + 1) {
      const Shift about = measure_shift(last_prepared, now_prepared);
      if (about.known && std::hypot(about.dx, about.dy) < kFarthest)
        shifts[static_cast<std::size_t>(k - 1)] = measure_similarity(*last, now, about, true);
    }
    last = std::move(now);
    last_prepared = std::move(now_prepared);
  }
  std::vector<double> doubts;
  for (const MeasuredSimilarity& s : shifts)
    if (s.known) doubts.push_back(s.doubt);
  const double most = 2.5 * median(doubts);
  auto part_at = [&](int k) { return part[static_cast<std::size_t>(k)]; };
  auto good = [&](int k) {
    const MeasuredSimilarity& s = shifts[static_cast<std::size_t>(k)];
    return s.known && s.doubt <= most && std::hypot(s.move.dx, s.move.dy) < kFarthest;
  };
  // Three frames at a time, each made once.
  std::array<SlopedFrame, 3> kept;
  std::array<int, 3> which{-1, -1, -1};
  auto frame = [&](int k) -> const SlopedFrame& {
    const auto slot = static_cast<std::size_t>(k % 3);
    if (which[slot] != k) kept[slot] = sloped(stack, k), which[slot] = k;
    return kept[slot];
  };
  for (int k = 1; k + 1 < count && !work.stop(); ++k) {
    work.report(2 * count + k, kPasses * count);
    const int here = part_at(k);
    if (!good(k - 1) || !good(k) || part_at(k - 1) != here || part_at(k + 1) != here) continue;
    const Similarity &before = shifts[static_cast<std::size_t>(k - 1)].move,
                     &after = shifts[static_cast<std::size_t>(k)].move;
    out[static_cast<std::size_t>(here)].add(frame(k - 1), frame(k), frame(k + 1),
                                            {-before.dx, -before.dy}, {after.dx, after.dy});
  }
  return out;
}

}  // namespace tsukimi
