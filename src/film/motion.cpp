// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/motion.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <optional>

#include "image/relative_light.h"
#include "motion/layers.h"

namespace tsukimi {
namespace {

// A frame as it is compared: finely, and for the first guess.
struct Compared {
  SlopedFrame fine;
  Prepared coarse;  // of half the size
};

// What lies outside of them says nothing.
Plane within(const std::vector<Rect>& areas, Size size) {
  Plane out(size.width, size.height);
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x) {
      const double u = (x + 0.5) / out.width, v = (y + 0.5) / out.height;
      const bool in = std::ranges::any_of(areas, [&](const Rect& r) {
        return u >= r.x && u < r.x + r.w && v >= r.y && v < r.y + r.h;
      });
      out.at(x, y) = in ? 1.0f : 0.0f;
    }
  return out;
}

// Hundredths of a pixel are found in copies of so many; more of them would take longer than reading
// the frames does.
constexpr int kWidestCopy = 520;

// still: what stands, 1 or 0; nullptr where areas say it, or where nothing does.
Compared compared(const Proxy& proxy, const std::vector<Rect>& areas, const Plane* still) {
  const Image small = halved(unpack(proxy), kWidestCopy);
  Plane drawn;
  if (!areas.empty()) drawn = within(areas, small.size()), still = &drawn;
  if (still && Size{still->width, still->height} != small.size()) still = nullptr;
  // Light that changes over the picture moves nothing.
  const RelativeLight frame = relative_light(small, std::max(12, small.width / 30), still);
  return {slope_frame(frame.stops, frame.known), prepare_shift(half_size(frame.light))};
}

MotionPair pair_of(int from, int to, const MeasuredSimilarity& m, int width) {
  const double per = 1.0 / width;
  auto in_widths = [&](const Similarity& s) {
    return Similarity{s.dx * per, s.dy * per, s.angle, s.log_scale};
  };
  return {from, to, in_widths(m.move), m.doubt * per, m.turns, in_widths(m.shift)};
}

// Which frames of a list are compared: each with those so many before it.
using Apart = std::array<int, 3>;  // ascending

// How a frame of a list lies against one before it, before it is measured: pixels of the copies.
using Guess = std::function<Shift(int from, int to, const Compared& a, const Compared& b)>;
Shift by_correlation(const Compared& a, const Compared& b) {
  const Shift half = measure_shift(a.coarse, b.coarse);
  return {2 * half.dx, 2 * half.dy, half.known};
}

// What stands still over a run of frames (motion/layers.h).
struct Standing {
  Layers layers;
  Plane pixels;  // 1, else 0; empty: all of the picture moves as one
};
// Round a frame of a list; nullptr: all of the picture moves as one.
using Still = std::function<const Standing*(int frame)>;

// Reads and measures lists of frames.
class Measuring {
 public:
  Measuring(const Shoot& shoot, ProxyStore& store, const Work& work)
      : shoot_(shoot), store_(store), work_(work) {}

  // Pairs of the frames from `first` to before `last` of a list, by their places in it.
  std::vector<MotionPair> run(const std::vector<int>& frames, int first, int last,
                              const Apart& aparts, const Guess& guess, const Still& still) const {
    const int farthest = aparts.back();
    std::vector<MotionPair> out;
    std::vector<std::optional<Compared>> kept(static_cast<std::size_t>(farthest + 1));
    auto at = [&](int k) -> std::optional<Compared>& {
      return kept[static_cast<std::size_t>(k % (farthest + 1))];
    };
    for (int k = std::max(0, first - farthest); k < last; ++k) {
      at(k) = read(frames[static_cast<std::size_t>(k)], still(k));
      if (!at(k)) continue;
      for (int apart : aparts)
        if (k >= first && k >= apart && at(k - apart))
          if (auto pair = pair_between(k - apart, k, *at(k - apart), *at(k), guess, still(k)))
            out.push_back(*pair);
    }
    return out;
  }

  // What stands still over the frames from `first` to before `last`: every second one against that
  // before it.
  Standing standing(const std::vector<int>& frames, int first, int last) const {
    constexpr int kStep = 2;
    std::vector<std::vector<BlockMove>> steps;
    std::vector<Shift> about;
    std::vector<SlopedFrame> seen;
    std::optional<Compared> before;
    for (int k = first; k < last; k += kStep) {
      auto now = read(frames[static_cast<std::size_t>(k)], nullptr);
      if (!now || (before && !same_size(*before, *now))) continue;
      if (before) {
        about.push_back(by_correlation(*before, *now));
        steps.push_back(block_moves(before->fine, now->fine, about.back()));
      }
      seen.push_back(now->fine);
      before = std::move(now);
    }
    Standing out;
    out.layers = find_layers(steps);
    out.layers.about = std::move(about);
    if (!out.layers.comes_back) out.layers = with_left_behind(seen, steps, std::move(out.layers));
    if (!out.layers.still.empty()) out.pixels = still_pixels(seen, out.layers);
    return out;
  }

  // On all cores, a run of frames after the other: use(number of the run, first, last).
  template <typename Use>
  void each_run(int count, int length, const Use& use, const std::function<void(int)>& done) const {
    parallel_ranges((count + length - 1) / length, 1, [&](int begin, int end) {
      for (int run = begin; run < end && !work_.stop(); ++run) {
        const int first = run * length, last = std::min(count, first + length);
        on_one_thread([&] { use(run, first, last); });
        done(last - first);
      }
    });
  }

 private:
  static bool same_size(const Compared& a, const Compared& b) {
    return a.fine.stops.width == b.fine.stops.width && a.fine.stops.height == b.fine.stops.height;
  }
  std::optional<Compared> read(int frame, const Standing* still) const {
    if (work_.stop()) return {};
    const auto proxy = store_.get(shoot_.sequence.frames[static_cast<std::size_t>(frame)]);
    if (!proxy) return {};
    return compared(**proxy, shoot_.decisions.framing.steady.areas,
                    still ? &still->pixels : nullptr);
  }
  // Nothing where they do not fit.
  static std::optional<MotionPair> pair_between(int from, int to, const Compared& a,
                                                const Compared& b, const Guess& guess,
                                                const Standing* still) {
    if (!same_size(a, b)) return {};
    Shift about = guess(from, to, a, b);
    // The whole picture goes with what moves by itself; what is soft is found from afar.
    if (still) about = still->layers.soft ? Shift{0, 0, true} : shift_of(a.fine, b.fine, about, {});
    if (!about.known) return {};
    const auto m = measure_similarity(a.fine, b.fine, about, false, still != nullptr);
    if (!m.known) return {};
    return pair_of(from, to, m, a.fine.stops.width);
  }

  const Shoot& shoot_;
  ProxyStore& store_;
  const Work& work_;
};

// What stands still, run of frames by run.
struct Ground {
  static constexpr int kRun = 64;  // frames
  std::vector<Standing> runs;
  const Standing* at(int frame) const {
    const Standing& run = runs[std::min(static_cast<std::size_t>(frame / kRun), runs.size() - 1)];
    return run.pixels.data.empty() ? nullptr : &run;
  }
};

// Runs that chose otherwise than most of those that had a choice take what most chose: what is
// rigid is one thing over the sequence.
void agree(Ground& ground) {
  std::vector<double> votes(kBlocksAcross * kBlocksDown, 0);
  std::vector<std::pair<double, std::size_t>> common;  // how far a run goes with the others
  for (const Standing& s : ground.runs)
    for (std::size_t b = 0; b < s.layers.still.size(); ++b) votes[b] += s.layers.still[b];
  for (std::size_t k = 0; k < ground.runs.size(); ++k) {
    const auto& still = ground.runs[k].layers.still;
    if (still.empty()) continue;
    double same = 0, all = 0;
    for (std::size_t b = 0; b < still.size(); ++b) same += still[b] * votes[b], all += still[b];
    common.emplace_back(same / std::max(all, 1.0), k);
  }
  if (common.size() < 3) return;
  const auto voters = static_cast<double>(common.size());
  const Standing usual = ground.runs[std::ranges::max_element(common)->second];
  constexpr double kAgrees = 0.4;
  for (const auto& [same, k] : common)
    if (same < kAgrees * voters) ground.runs[k] = usual;
}

// A camera turns, or it does not: where hardly a pair asks for turn and scale they are noise, and
// what moves by itself.
bool turns(const std::vector<MotionPair>& pairs, double hardly) {
  const auto asked = std::ranges::count_if(pairs, &MotionPair::turns);
  return static_cast<double>(asked) > hardly * static_cast<double>(pairs.size());
}

// Neighbours say how a frame shook; but a hundredth of a pixel from each to the next is a degree in
// thousands of frames. Every sixteenth is compared with ones up to 256 frames away as well,
// starting from what the neighbours say: by then the light is another, and a slider has gone far.
// Pairs of frames are measured in runs, and what is done is counted over all of them.
class NearAndFar {
 public:
  NearAndFar(const Shoot& shoot, ProxyStore& store, const std::vector<int>& frames,
             const Work& work)
      : measuring_(shoot, store, work), frames_(frames), work_(work) {
    for (std::size_t k = 0; k < frames.size(); k += kAnchor) anchors_.push_back(frames[k]);
    all_ = static_cast<int>(frames.size()), few_ = static_cast<int>(anchors_.size());
    // Where areas were drawn the photographer has said what stands.
    find_ = shoot.decisions.framing.steady.areas.empty() && all_ > 0;
    count_ = (find_ ? 2 : 1) * all_ + few_;
  }

  MotionTrack solve() {
    find_ground();
    const MotionTrack near = solve_track(all_, near_pairs());
    MotionTrack out = with_far(near, solve_track(few_, far_pairs(near)), kAnchor);
    for (const Standing& run : ground_.runs) {
      constexpr double kGoesOn = 0.15;  // px of the copies, from every second frame to the next
      if (!run.pixels.data.empty() && (run.layers.speed > kGoesOn || run.layers.soft))
        out.fit.parted = std::max(out.fit.parted, run.layers.other);
    }
    return out;
  }

 private:
  static constexpr int kAnchor = 16;
  // A single knock may turn it all the same; there are hardly a dozen far ones.
  static constexpr double kHardly = 0.2, kHardlyOfFar = 0.5;

  auto more() {
    return [this](int by) { work_.report(done_ += by, count_); };
  }
  static std::size_t runs(int frames, int of) {
    return static_cast<std::size_t>((frames + of - 1) / of);
  }

  void find_ground() {
    ground_.runs.resize(std::max<std::size_t>(1, runs(all_, Ground::kRun)));
    if (find_)
      measuring_.each_run(
          all_, Ground::kRun,
          [&](int run, int first, int last) {
            // A short last run is seen with frames of the one before it.
            const int from = std::max(0, std::min(first, last - Ground::kRun));
            ground_.runs[static_cast<std::size_t>(run)] = measuring_.standing(frames_, from, last);
          },
          more());
    agree(ground_);
  }

  std::vector<MotionPair> near_pairs() {
    constexpr int kRun = 24;
    constexpr Apart kNear{1, 2, 4};
    std::vector<std::vector<MotionPair>> found(runs(all_, kRun));
    const auto correlated = [](int, int, const Compared& a, const Compared& b) {
      return by_correlation(a, b);
    };
    measuring_.each_run(
        all_, kRun,
        [&](int run, int first, int last) {
          auto& of_run = found[static_cast<std::size_t>(run)];
          of_run = measuring_.run(frames_, first, last, kNear, correlated,
                                  [&](int frame) { return ground_.at(frame); });
          // Of three pairs a frame hardly one: there is too little ground to hold on to.
          if (ground_.at(first) && std::ssize(of_run) < last - first)
            of_run = measuring_.run(frames_, first, last, kNear, correlated,
                                    [](int) -> const Standing* { return nullptr; });
        },
        more());
    std::vector<MotionPair> pairs = in_a_row(found);
    if (!turns(pairs, kHardly))
      for (MotionPair& p : pairs)
        if (!p.turns) p.move = p.shift;
    return pairs;
  }

  // Between anchors, which are every kAnchor frames.
  std::vector<MotionPair> far_pairs(const MotionTrack& near) {
    constexpr int kRun = 96;
    constexpr Apart kFar{1, 4, 16};
    constexpr double kMostOff = 4;  // pixels of the copies
    const auto between = [&](int from, int to) {
      const auto move = [&](int k) {
        return near.frames[static_cast<std::size_t>(kAnchor * k)].move;
      };
      return then(inverse(move(from)), move(to));
    };
    const auto by_neighbours = [&](int from, int to, const Compared& a, const Compared&) {
      const Similarity move = between(from, to);
      const int width = a.fine.stops.width;
      return Shift{move.dx * width, move.dy * width, true};
    };
    std::vector<std::vector<MotionPair>> found(runs(few_, kRun));
    measuring_.each_run(
        few_, kRun,
        [&](int run, int first, int last) {
          found[static_cast<std::size_t>(run)] =
              measuring_.run(anchors_, first, last, kFar, by_neighbours,
                             [&](int frame) { return ground_.at(kAnchor * frame); });
        },
        more());
    std::vector<MotionPair> pairs = in_a_row(found);
    if (!turns(pairs, kHardlyOfFar))
      for (MotionPair& p : pairs) {
        const Similarity said = between(p.from, p.to);
        p.move = {p.shift.dx, p.shift.dy, said.angle, said.log_scale};
      }
    std::erase_if(pairs, [&](const MotionPair& p) {
      const Similarity said = between(p.from, p.to);
      return std::hypot(p.move.dx - said.dx, p.move.dy - said.dy) > kMostOff / kWidestCopy;
    });
    // Where light or a broken frame tears the chain it hangs together by its neighbours.
    constexpr double kWeak = 1.0 / kWidestCopy;
    for (int j = 1; j < few_; ++j) pairs.push_back({j - 1, j, between(j - 1, j), kWeak, false, {}});
    return pairs;
  }

  static std::vector<MotionPair> in_a_row(const std::vector<std::vector<MotionPair>>& found) {
    std::vector<MotionPair> out;
    for (const auto& of_run : found) out.insert(out.end(), of_run.begin(), of_run.end());
    return out;
  }

  const Measuring measuring_;
  const std::vector<int>& frames_;
  const Work& work_;
  std::vector<int> anchors_;
  int all_ = 0, few_ = 0, count_ = 0;  // frames, anchors, of both what is counted as work
  bool find_ = false;                  // the ground
  std::atomic<int> done_{0};
  Ground ground_;
};

MotionTrack solve_near_and_far(const Shoot& shoot, ProxyStore& store,
                               const std::vector<int>& frames, const Work& work) {
  return NearAndFar(shoot, store, frames, work).solve();
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

std::string misfit_note(const Shoot& shoot) {
  const Steadying how = shoot.decisions.framing.steady.how;
  const bool steadied = how == Steadying::hold || how == Steadying::drift;
  if (!steadied || !shoot.motion || !does_not_fit(shoot.motion->fit)) return {};
  return "Parts of the picture moved differently, as before a slider or under clouds that fill it: "
         "one "
         "movement does not fit all of it. Draw an area round what should stand still.";
}

}  // namespace tsukimi
