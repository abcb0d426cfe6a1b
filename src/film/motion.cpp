#include "film/motion.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <optional>

#include "film/relative_light.h"

namespace tsukimi {
namespace {

// A frame as it is compared: finely, and for the first guess.
struct Compared {
  SlopedFrame fine;
  Prepared coarse;  // of half the size
};

// What lies outside of them says nothing.
void keep_areas(Plane& known, const std::vector<Rect>& areas) {
  for (int y = 0; y < known.height; ++y)
    for (int x = 0; x < known.width; ++x) {
      const double u = (x + 0.5) / known.width, v = (y + 0.5) / known.height;
      const bool in = std::ranges::any_of(areas, [&](const Rect& r) {
        return u >= r.x && u < r.x + r.w && v >= r.y && v < r.y + r.h;
      });
      if (!in) known.at(x, y) = 0;
    }
}

constexpr int kWidestCopy = 520;

// Hundredths of a pixel are found in it: more of them would take longer than reading the frames
// does.
Image small_copy(Image image) {
  while (image.width > kWidestCopy) {
    Image half;
    for (int c = 0; c < 3; ++c) half.planes[c] = half_size(image.planes[c]);
    half.width = half.planes[0].width, half.height = half.planes[0].height;
    image = std::move(half);
  }
  return image;
}

Compared compared(const Proxy& proxy, const std::vector<Rect>& areas) {
  // Light that changes over the picture moves nothing.
  const Image small = small_copy(unpack(proxy));
  RelativeLight frame = relative_light(small, std::max(12, small.width / 30));
  if (!areas.empty()) keep_areas(frame.known, areas);
  return {slope_frame(frame.stops, frame.known), prepare_shift(half_size(frame.light))};
}

MotionPair pair_of(int from, int to, const MeasuredSimilarity& m, int width) {
  const double per = 1.0 / width;
  return {
      from, to, {m.move.dx * per, m.move.dy * per, m.move.angle, m.move.log_scale}, m.doubt * per};
}

// Which frames of a list are compared: each with those so many before it.
using Apart = std::array<int, 3>;  // ascending

// How a frame of a list lies against one before it, before it is measured: pixels of the copies.
using Guess = std::function<Shift(int from, int to, const Compared& a, const Compared& b)>;

// The frames from `first` to before `last` of a list; pairs by their places in the list.
void measure_run(const std::vector<int>& frames, int first, int last, const Apart& aparts,
                 const std::vector<Rect>& areas, const Guess& guess,
                 const std::function<std::shared_ptr<const Proxy>(int)>& read,
                 std::vector<MotionPair>& pairs) {
  const int farthest = aparts.back();
  std::vector<std::optional<Compared>> kept(static_cast<std::size_t>(farthest + 1));  // by number
  auto at = [&](int k) -> std::optional<Compared>& {
    return kept[static_cast<std::size_t>(k % (farthest + 1))];
  };
  for (int k = std::max(0, first - farthest); k < last; ++k) {
    at(k).reset();
    const auto proxy = read(frames[static_cast<std::size_t>(k)]);
    if (!proxy) continue;
    at(k) = compared(*proxy, areas);
    for (int apart : aparts) {
      if (k < first || k < apart || !at(k - apart)) continue;
      const Compared &a = *at(k - apart), &b = *at(k);
      const int w = b.fine.stops.width;
      if (a.fine.stops.width != w || a.fine.stops.height != b.fine.stops.height) continue;
      const Shift about = guess(k - apart, k, a, b);
      if (!about.known) continue;
      if (const auto m = measure_similarity(a.fine, b.fine, about); m.known)
        pairs.push_back(pair_of(k - apart, k, m, w));
    }
  }
}

// All frames of a list, on all cores.
std::vector<MotionPair> measure_all(const Shoot& shoot, ProxyStore& store,
                                    const std::vector<int>& frames, const Apart& aparts,
                                    const Guess& guess, const std::function<void(int)>& done,
                                    const Work& work) {
  const int run_length = 6 * aparts.back(), count = static_cast<int>(frames.size()),
            runs = (count + run_length - 1) / run_length;
  std::vector<std::vector<MotionPair>> found(static_cast<std::size_t>(runs));
  parallel_ranges(runs, 1, [&](int first, int last) {
    for (int run = first; run < last && !work.stop(); ++run) {
      const int begin = run * run_length, end = std::min(count, begin + run_length);
      auto read = [&](int frame) -> std::shared_ptr<const Proxy> {
        if (work.stop()) return nullptr;
        auto proxy = store.get(shoot.sequence.frames[static_cast<std::size_t>(frame)]);
        return proxy ? *proxy : nullptr;
      };
      on_one_thread([&] {
        measure_run(frames, begin, end, aparts, shoot.decisions.framing.steady.areas, guess, read,
                    found[static_cast<std::size_t>(run)]);
      });
      done(end - begin);
    }
  });
  std::vector<MotionPair> out;
  for (const auto& f : found) out.insert(out.end(), f.begin(), f.end());
  return out;
}

Shift by_correlation(int, int, const Compared& a, const Compared& b) {
  const Shift half = measure_shift(a.coarse, b.coarse);
  return {2 * half.dx, 2 * half.dy, half.known};
}

// Neighbours say how a frame shook; but a hundredth of a pixel from each to the next is a degree in
// thousands of frames. Every sixteenth is compared with ones up to 256 frames away as well,
// starting from what the neighbours say: by then the light is another, and a slider has gone far.
MotionTrack solve_near_and_far(const Shoot& shoot, ProxyStore& store,
                               const std::vector<int>& frames, const Work& work) {
  constexpr int kAnchor = 16;
  constexpr Apart kNear{1, 2, 4}, kFar{1, 4, 16};
  constexpr double kMostOff = 4;  // pixels of the copies
  std::vector<int> anchors;
  for (std::size_t k = 0; k < frames.size(); k += kAnchor) anchors.push_back(frames[k]);
  std::atomic<int> done{0};
  const int all = static_cast<int>(frames.size()), count = all + static_cast<int>(anchors.size());
  const auto more = [&](int by) { work.report(done += by, count); };
  const MotionTrack near =
      solve_track(all, measure_all(shoot, store, frames, kNear, by_correlation, more, work));
  auto between = [&](int from, int to) {
    auto move = [&](int k) { return near.frames[static_cast<std::size_t>(kAnchor * k)].move; };
    return then(inverse(move(from)), move(to));
  };
  auto by_neighbours = [&](int from, int to, const Compared& a, const Compared&) {
    const Similarity move = between(from, to);
    const int width = a.fine.stops.width;
    return Shift{move.dx * width, move.dy * width, true};
  };
  std::vector<MotionPair> pairs =
      measure_all(shoot, store, anchors, kFar, by_neighbours, more, work);
  std::erase_if(pairs, [&](const MotionPair& p) {
    const Similarity said = between(p.from, p.to);
    return std::hypot(p.move.dx - said.dx, p.move.dy - said.dy) > kMostOff / kWidestCopy;
  });
  // Where light or a broken frame tears the chain it hangs together by its neighbours.
  constexpr double kWeak = 1.0 / kWidestCopy;
  for (int j = 1; j < static_cast<int>(anchors.size()); ++j)
    pairs.push_back({j - 1, j, between(j - 1, j), kWeak});
  return with_far(near, solve_track(static_cast<int>(anchors.size()), pairs), kAnchor);
}

}  // namespace

MotionTrack measure_motion(const Shoot& shoot, ProxyStore& store, const Work& work) {
  std::vector<int> frames;
  for (int i = 0; i < shoot.frame_count(); ++i)
    if (shoot.sequence.frames[static_cast<std::size_t>(i)].usable()) frames.push_back(i);
  const int count = static_cast<int>(frames.size());
  const MotionTrack known = solve_near_and_far(shoot, store, frames, work);
  // Frames that cannot be read lie between those round them.
  MotionTrack out;
  out.fit = known.fit;
  out.areas = shoot.decisions.framing.steady.areas;
  out.frames.resize(static_cast<std::size_t>(shoot.frame_count()));
  for (std::size_t i = 0, next = 0; i < out.frames.size() && count > 0; ++i) {
    while (next < frames.size() && frames[next] < static_cast<int>(i)) ++next;
    if (next < frames.size() && frames[next] == static_cast<int>(i)) {
      out.frames[i] = known.frames[next];
      continue;
    }
    const std::size_t b = std::min(next, frames.size() - 1), a = next > 0 ? next - 1 : 0;
    const Similarity &from = known.frames[a].move, &to = known.frames[b].move;
    const double t = a == b ? 0 : (static_cast<double>(i) - frames[a]) / (frames[b] - frames[a]);
    auto between = [t](double p, double q) { return p + t * (q - p); };
    out.frames[i].move = {between(from.dx, to.dx), between(from.dy, to.dy),
                          between(from.angle, to.angle), between(from.log_scale, to.log_scale)};
  }
  return out;
}

}  // namespace tsukimi
