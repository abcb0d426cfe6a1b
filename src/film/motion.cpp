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

// Hundredths of a pixel are found in it: more of them would take longer than reading the frames
// does.
Image small_copy(Image image) {
  constexpr int kWidest = 520;
  while (image.width > kWidest) {
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

// The frames from `first` to before `last` of a list, each against those one, two and four before
// it; pairs by their places in the list.
void measure_run(const std::vector<int>& frames, int first, int last,
                 const std::vector<Rect>& areas,
                 const std::function<std::shared_ptr<const Proxy>(int)>& read,
                 std::vector<MotionPair>& pairs) {
  constexpr int kApart[] = {1, 2, 4}, kFarthest = 4;
  std::array<std::optional<Compared>, kFarthest + 1> kept;  // by number
  auto at = [&](int k) -> std::optional<Compared>& {
    return kept[static_cast<std::size_t>(k % (kFarthest + 1))];
  };
  for (int k = std::max(0, first - kFarthest); k < last; ++k) {
    at(k).reset();
    const auto proxy = read(frames[static_cast<std::size_t>(k)]);
    if (!proxy) continue;
    at(k) = compared(*proxy, areas);
    for (int apart : kApart) {
      if (k < first || k < apart || !at(k - apart)) continue;
      const Compared &a = *at(k - apart), &b = *at(k);
      const int w = b.fine.stops.width;
      if (a.fine.stops.width != w || a.fine.stops.height != b.fine.stops.height) continue;
      const Shift half = measure_shift(a.coarse, b.coarse);
      if (!half.known) continue;
      const Shift about{2 * half.dx, 2 * half.dy, true};
      if (const auto m = measure_similarity(a.fine, b.fine, about); m.known)
        pairs.push_back(pair_of(k - apart, k, m, w));
    }
  }
}

// All frames of a list, on all cores.
std::vector<MotionPair> measure_all(const Shoot& shoot, ProxyStore& store,
                                    const std::vector<int>& frames,
                                    const std::function<void(int)>& done, const Work& work) {
  constexpr int kRun = 24;
  const int count = static_cast<int>(frames.size()), runs = (count + kRun - 1) / kRun;
  std::vector<std::vector<MotionPair>> found(static_cast<std::size_t>(runs));
  parallel_ranges(runs, 1, [&](int first, int last) {
    for (int run = first; run < last && !work.stop(); ++run) {
      const int begin = run * kRun, end = std::min(count, begin + kRun);
      auto read = [&](int frame) -> std::shared_ptr<const Proxy> {
        if (work.stop()) return nullptr;
        auto proxy = store.get(shoot.sequence.frames[static_cast<std::size_t>(frame)]);
        return proxy ? *proxy : nullptr;
      };
      on_one_thread([&] {
        measure_run(frames, begin, end, shoot.decisions.framing.steady.areas, read,
                    found[static_cast<std::size_t>(run)]);
      });
      done(end - begin);
    }
  });
  std::vector<MotionPair> out;
  for (const auto& f : found) out.insert(out.end(), f.begin(), f.end());
  return out;
}

}  // namespace

MotionTrack measure_motion(const Shoot& shoot, ProxyStore& store, const Work& work) {
  std::vector<int> frames;
  for (int i = 0; i < shoot.frame_count(); ++i)
    if (shoot.sequence.frames[static_cast<std::size_t>(i)].usable()) frames.push_back(i);
  std::atomic<int> done{0};
  const int count = static_cast<int>(frames.size());
  const auto pairs = measure_all(
      shoot, store, frames, [&](int more) { work.report(done += more, count); }, work);
  const MotionTrack known = solve_track(count, pairs);
  // Frames that cannot be read lie between those round them.
  MotionTrack out;
  out.left = known.left, out.doubt = known.doubt, out.step = known.step;
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
