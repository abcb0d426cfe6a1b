// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/measure_frames.h"

#include <algorithm>
#include <atomic>

#include "base/parallel.h"
#include "film/checks.h"
#include "film/grid_in_place.h"

namespace tsukimi {
namespace {

// Measures frames run by run, on several threads. With `shifts`, also how far each lies from the
// frame before.
class FrameMeasuring {
 public:
  FrameMeasuring(const Shoot& shoot, ProxyStore& store, bool shifts, Measured& out)
      : frames_(shoot.sequence.frames),
        store_(store),
        shifts_(shifts),
        out_(out),
        problems_(frames_.size()) {}

  // Frames [start, end); one_more() after each.
  void run(int start, int end, const std::function<void()>& one_more, const Work& work) {
    Prepared before;
    for (int k = start - 1; shifts_ && k >= 0 && before.levels.empty() && !work.stop(); --k)
      if (frames_[k].usable())
        if (const auto head = store_.head(frames_[k]))
          before = prepare_shift(green_of(head->thumbnail));
    for (int i = start; i < end && !work.stop(); ++i, one_more())
      if (frames_[i].usable()) measure(i, before);
  }
  // Of each frame that could not be read.
  const std::vector<std::optional<Error>>& problems() const { return problems_; }

 private:
  void measure(int i, Prepared& before) {
    auto head = store_.head(frames_[i], shifts_);
    if (!head) {
      problems_[i] = head.error();
      return;
    }
    Shift shift;
    if (shifts_) {
      Prepared here = prepare_shift(green_of(head->thumbnail));
      shift = measure_shift(before, here);
      const double width = head->thumbnail.width;
      shift.dx /= width, shift.dy /= width;
      before = std::move(here);
    }
    out_.grids[i] = std::move(head->grid);
    out_.signs[i] = FrameSigns{std::move(head->detail), shift};
  }

  const std::vector<FrameInfo>& frames_;
  ProxyStore& store_;
  bool shifts_;
  Measured& out_;
  std::vector<std::optional<Error>> problems_;
};

// Runs of frames that are not measured yet. A run is one piece of work: only the frame before it is
// read twice, to tell how far the first lies from it.
std::vector<std::pair<int, int>> missing_runs(const Shoot& shoot, const Measured& known) {
  constexpr int kRun = 24;
  std::vector<std::pair<int, int>> out;
  for (int i = 0; i < shoot.frame_count(); ++i) {
    if (known.grids[i] || !shoot.sequence.frames[i].usable()) continue;
    if (!out.empty() && out.back().second == i && i - out.back().first < kRun)
      ++out.back().second;
    else
      out.emplace_back(i, i + 1);
  }
  return out;
}

// What is not measured yet, in parallel; marks what cannot be read.
void measure_missing(Shoot& shoot, ProxyStore& store, bool shifts, Measured& out,
                     const Work& work) {
  const int n = shoot.frame_count();
  out.grids.resize(n);
  out.signs.resize(n);
  const auto runs = missing_runs(shoot, out);
  int total = 0;
  for (const auto& [first, end] : runs) total += end - first;
  FrameMeasuring measuring(shoot, store, shifts, out);
  std::atomic<int> done{0};
  parallel_ranges(static_cast<int>(runs.size()), 1, [&](int first_run, int last_run) {
    for (int k = first_run; k < last_run; ++k)
      measuring.run(
          runs[k].first, runs[k].second, [&] { work.report(++done, total); }, work);
  });
  for (int i = 0; i < n; ++i)
    if (const auto& problem = measuring.problems()[i])
      set_problem(shoot.sequence.frames[i], *problem);
}

}  // namespace

// As the frames lie, or where the picture is: as it is wanted now. What is there and in place
// stays.
static void follow_picture(const Shoot& shoot, ProxyStore& store, Measured& out, const Work& work) {
  const auto track = track_for_light(shoot);
  if (track == out.in_place) return;
  if (!track && lacks_motion(shoot)) return;  // it will be known
  if (track) {
    place_grids(shoot, store, out.grids, work);
  } else {
    parallel_ranges(static_cast<int>(out.grids.size()), 8, [&](int first, int last) {
      for (int i = first; i < last && !work.stop(); ++i)
        if (out.grids[i])
          if (auto head = store.head(shoot.sequence.frames[i], false))
            out.grids[i] = std::move(head->grid);
    });
  }
  if (!work.stop()) out.in_place = track;
}

// Suspects of all frames, judged as they lie; remembered for the next time.
static void judge_frames(Shoot& shoot, Measured& out) {
  out.suspects = find_suspects(shoot.sequence.frames, out.grids, out.signs);
  Checks found{{}, out.suspects};
  for (const auto& s : out.signs) found.shifts.push_back(s ? s->shift : Shift{});
  // What is away for a moment is no finding to remember.
  const auto& frames = shoot.sequence.frames;
  if (std::none_of(frames.begin(), frames.end(), [](const FrameInfo& f) { return f.away; }))
    save_checks(shoot, found);
}

Measured measure_frames(Shoot& shoot, ProxyStore& store, const Work& work, Measured known) {
  const bool anew = known.grids.empty();
  Measured out = std::move(known);
  out.grids.resize(shoot.sequence.frames.size());
  const bool all_known = missing_runs(shoot, out).empty();
  auto checks = anew ? load_checks(shoot) : std::nullopt;
  measure_missing(shoot, store, !checks, out, work);
  if (work.stop()) return out;
  if (!all_known) {
    out.in_place.reset();
    if (!checks) {
      judge_frames(shoot, out);
    } else {
      for (int i = 0; i < shoot.frame_count(); ++i)
        if (out.signs[i]) out.signs[i]->shift = checks->shifts[i];
      out.suspects = std::move(checks->suspects);
    }
  }
  follow_picture(shoot, store, out, work);
  return out;
}

LightGrids measure_light(Shoot& shoot, ProxyStore& store, const Work& work) {
  Measured out;
  measure_missing(shoot, store, false, out, work);
  if (!work.stop()) know_motion(shoot, store, work);
  if (!work.stop()) follow_picture(shoot, store, out, work);
  return std::move(out.grids);
}

}  // namespace tsukimi
