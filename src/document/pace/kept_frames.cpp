// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/pace/kept_frames.h"

#include <algorithm>

namespace tsukimi {
namespace {

constexpr int kFillAtMost = 3;  // in a row; more than that would be invented, not filled

bool in_film(const Shoot& shoot, int frame) {
  const auto& d = shoot.decisions;
  return frame >= d.in && (d.out < 0 || frame <= d.out);
}

// A frame whose file is away for now keeps its place: numbers must not close up behind it.
bool holds_place(const Shoot& shoot, int frame) {
  return is_kept(shoot, frame) || (shoot.sequence.frames[frame].away && in_film(shoot, frame) &&
                                   !is_set_aside(shoot, frame));
}

// Up to which frame the run of frames that are not kept goes on from `first`.
int end_of_run(const Shoot& shoot, int first) {
  int end = first;
  while (end < shoot.frame_count() && in_film(shoot, end) && !holds_place(shoot, end)) ++end;
  return end;
}

bool is_filled(const Decisions& d, int in_a_row) {
  return d.aside == AsidePolicy::fill ||
         (d.aside == AsidePolicy::automatic && in_a_row <= kFillAtMost);
}

}  // namespace

static bool is_in(const std::vector<FrameId>& list, FrameId id) {
  return std::ranges::binary_search(list, id);
}

static void put(std::vector<FrameId>& list, FrameId id, bool in) {
  const auto at = std::ranges::lower_bound(list, id);
  const bool there = at != list.end() && *at == id;
  if (in && !there) list.insert(at, id);
  if (!in && there) list.erase(at);
}

bool is_set_aside(const Shoot& s, int frame) {
  return is_in(s.decisions.set_aside, s.sequence.id_of(frame));
}

void set_aside(Shoot& s, const std::vector<int>& frames, bool aside) {
  for (int f : frames) put(s.decisions.set_aside, s.sequence.id_of(f), aside);
}

bool is_looked_at(const Shoot& s, int frame) {
  return is_in(s.decisions.looked_at, s.sequence.id_of(frame));
}

void look_at(Shoot& s, int frame) { put(s.decisions.looked_at, s.sequence.id_of(frame), true); }

std::vector<double> kept_counts(const Shoot& shoot) {
  std::vector<double> out;
  for (int i = 0; i < shoot.frame_count(); ++i) out.push_back(is_kept(shoot, i) ? 1 : 0);
  return out;
}

std::pair<int, int> film_range(const Shoot& shoot) {
  const Decisions& d = shoot.decisions;
  return {d.in, d.out < 0 ? shoot.frame_count() - 1 : d.out};
}

void set_film_range(Shoot& shoot, int in, int out) {
  shoot.decisions.in = in;
  shoot.decisions.out = out >= shoot.frame_count() - 1 ? -1 : out;
}

bool is_kept(const Shoot& shoot, int frame) {
  return shoot.sequence.frames[frame].usable() && in_film(shoot, frame) &&
         !is_set_aside(shoot, frame);
}

// Whether the film makes others in the place of frames that are set aside, from before `first` on
// to `end`. Frames are made only between frames that can be read.
static bool is_replaced(const Shoot& shoot, int first, int end) {
  auto can_help = [&](int frame) {
    return frame >= 0 && frame < shoot.frame_count() && in_film(shoot, frame) &&
           is_kept(shoot, frame);
  };
  return can_help(first - 1) && can_help(end) && is_filled(shoot.decisions, end - first);
}

// How many frames the camera left out behind this one, of the gaps that are given their time.
static int missing_behind(const Shoot& shoot, int frame) {
  if (shoot.decisions.pace.gaps == GapPolicy::close) return 0;
  // A counter that jumped while time went on evenly is no pause; without times it is all there is.
  const bool timed = shoot.sequence.interval > 0;
  for (const Gap& gap : shoot.sequence.gaps)
    if (gap.after == frame && (gap.in_time || !timed)) return gap.missing;
  return 0;
}

KeptFrames kept_frames_of(const Shoot& shoot) {
  KeptFrames out;
  double next = 0;
  const bool hold = shoot.decisions.pace.gaps == GapPolicy::hold;
  for (int i = std::max(0, shoot.decisions.in); i < shoot.frame_count() && in_film(shoot, i);) {
    if (holds_place(shoot, i)) {
      const int missing = missing_behind(shoot, i);
      out.frames.push_back({i++, next, missing > 0 && hold});
      next += 1 + missing;
      continue;
    }
    const int end = end_of_run(shoot, i);
    const bool replaced = is_replaced(shoot, i, end);
    for (; i < end; ++i)
      if (replaced && is_set_aside(shoot, i)) out.replaced.push_back({i, next++, false});
  }
  return out;
}

std::size_t KeptFrames::before(double place) const {
  const auto behind = std::ranges::upper_bound(frames, place, {}, &KeptFrame::at);
  return behind == frames.begin() ? 0 : static_cast<std::size_t>(behind - frames.begin() - 1);
}

std::vector<double> places_in(const KeptFrames& kept, int frames) {
  constexpr double kPassed = 1e-4;
  const auto n = static_cast<std::size_t>(frames);
  std::vector<double> out(n, -1);
  for (const auto* list : {&kept.frames, &kept.replaced})
    for (const KeptFrame& f : *list) out[static_cast<std::size_t>(f.frame)] = f.at;
  const int first = kept.frames.empty() ? 0 : kept.frames.front().frame,
            last = kept.frames.empty() ? -1 : kept.frames.back().frame;
  for (int i = first - 1; i >= 0; --i) out[static_cast<std::size_t>(i)] = i - first;
  for (int i = first; i < frames; ++i) {
    double& at = out[static_cast<std::size_t>(i)];
    if (at < 0) at = i == 0 ? 0 : out[static_cast<std::size_t>(i - 1)] + (i > last ? 1 : kPassed);
  }
  return out;
}

}  // namespace tsukimi
