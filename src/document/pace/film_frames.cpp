// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/pace/film_frames.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

constexpr double kSame = 1e-6;

}  // namespace

FilmFrames::FilmFrames(const Shoot& shoot)
    : pace_(shoot.decisions.pace),
      fps_(shoot.decisions.fps),
      kept_(kept_frames_of(shoot)),
      time_(shoot, kept_),
      places_(places_in(kept_, shoot.frame_count())) {}

FilmFrame FilmFrames::made(double place, double time) const {
  FilmFrame out;
  out.time = time;
  out.fade = fade(time);
  out.frame = nearest(place);
  const double speed = time_.speed(place);
  double open = pace_.blur / 360;
  if (pace_.faster == Faster::average && speed > 1 + kSame) open = std::max(open, 1.0);
  if (open > 0)
    show_open_shutter(out, place, open * speed);
  else
    show_moment(out, place, speed);
  if (out.parts.size() == 1) out.how = Composition::one, out.parts[0].weight = 1;
  out.replaces = out.how == Composition::between && replaced_at(place) != nullptr;
  return out;
}

// How far it is from the one before to the one behind, 0..1.
double FilmFrames::part_of(std::size_t i, double place) const {
  const auto& knots = kept_.frames;
  if (i + 1 >= knots.size() || knots[i].held) return 0;
  return (place - knots[i].at) / (knots[i + 1].at - knots[i].at);
}

const KeptFrame* FilmFrames::replaced_at(double place) const {
  const auto it = std::ranges::lower_bound(kept_.replaced, place - kSame, {}, &KeptFrame::at);
  return it != kept_.replaced.end() && it->at < place + kSame ? &*it : nullptr;
}

int FilmFrames::nearest(double place) const {
  if (const KeptFrame* there = replaced_at(place)) return there->frame;
  const std::size_t i = kept_.before(place);
  return kept_.frames[part_of(i, place) < 0.5 ? i : i + 1].frame;
}

// The film at a single moment, not while a shutter is open.
void FilmFrames::show_moment(FilmFrame& out, double place, double speed) const {
  const auto& knots = kept_.frames;
  const std::size_t i = kept_.before(place);
  const double t = part_of(i, place);
  // Frames that stand in for others are made whatever the pace is; so is what fills a gap.
  const bool apart = i + 1 < knots.size() && knots[i + 1].at - knots[i].at > 1 + kSame;
  const bool slow = speed < 1 - kSame;
  if (t < kSame || (!apart && (!slow || pace_.slower == Slower::repeat))) {
    const KeptFrame& one = knots[t < 0.5 ? i : i + 1];
    out.parts = {{one.frame, 1, one.at}};
    return;
  }
  out.how = apart || pace_.slower == Slower::motion ? Composition::between : Composition::average;
  for (const auto& [k, weight] : {std::pair{i, 1 - t}, {i + 1, t}})
    out.parts.push_back({knots[k].frame, weight, knots[k].at});
}

// While the shutter is open: the mean of the film as it dissolves from frame to frame, or runs
// along what moves.
void FilmFrames::show_open_shutter(FilmFrame& out, double place, double long_as) const {
  const auto& knots = kept_.frames;
  out.how = pace_.blur_along ? Composition::swept : Composition::average;
  out.open = std::max(0.0, place - long_as / 2);
  out.shut = std::min(kept_.end(), place + long_as / 2);
  const std::size_t first = kept_.before(out.open);
  std::vector<double> weights{0};  // from `first` on
  double all = 0;
  for (std::size_t i = first; i + 1 < knots.size() && knots[i].at < out.shut; ++i) {
    const double apart = knots[i + 1].at - knots[i].at,
                 a = std::clamp((out.open - knots[i].at) / apart, 0.0, 1.0),
                 b = std::clamp((out.shut - knots[i].at) / apart, 0.0, 1.0);
    const double behind = knots[i].held ? 0 : apart * (b * b - a * a) / 2;
    weights.back() += apart * (b - a) - behind;
    weights.push_back(behind);
    all += apart * (b - a);
  }
  if (all <= 0) weights = {1}, all = 1;
  for (std::size_t k = 0; k < weights.size(); ++k)
    if (weights[k] > kSame * all)
      out.parts.push_back({knots[first + k].frame, weights[k] / all, knots[first + k].at});
}

double FilmFrames::fade(double time) const {
  const double end = time_.frames() - 1;
  auto left = [&](double frames, double seconds) {
    return seconds > 0 ? std::clamp(1 - frames / (seconds * fps_), 0.0, 1.0) : 0.0;
  };
  const double faded = std::max(left(time, pace_.fade_in), left(end - time, pace_.fade_out));
  return pace_.fade_white ? faded : -faded;
}

FilmFrame itself(int frame, double time) {
  FilmFrame out;
  out.frame = frame;
  out.parts = {{frame, 1, 0}};
  out.time = time;
  return out;
}

std::optional<FilmFrame> FilmFrames::at(int frame) const {
  for (const auto* list : {&kept_.frames, &kept_.replaced}) {
    const auto it = std::ranges::lower_bound(*list, frame, {}, &KeptFrame::frame);
    if (it != list->end() && it->frame == frame) return made(it->at, time_.time(it->at));
  }
  return {};
}

std::vector<FilmFrame> film_frames(const Shoot& shoot) {
  const FilmFrames film(shoot);
  std::vector<FilmFrame> out;
  for (int k = 0; k < film.count(); ++k) out.push_back(film[k]);
  return out;
}

int film_length(const Shoot& shoot) { return FilmFrames(shoot).count(); }

std::optional<FilmFrame> film_frame_at(const Shoot& shoot, int frame) {
  return FilmFrames(shoot).at(frame);
}

}  // namespace tsukimi
