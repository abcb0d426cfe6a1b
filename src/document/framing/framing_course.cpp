// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/framing/framing_course.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "document/pace/film_frames.h"
#include "motion/track.h"
#include "sky/sky_fit.h"

namespace tsukimi {
namespace {

constexpr double kLeastFit = 0.02;

double shape_of(Size size) { return static_cast<double>(size.width) / size.height; }

}  // namespace

FramingCourse::FramingCourse(const Shoot& shoot)
    : FramingCourse(shoot, shoot.decisions, FilmFrames(shoot)) {}

FramingCourse::FramingCourse(const Shoot& shoot, const Decisions& d, const FilmFrames& film)
    : frame_(shoot.sequence.size), rest_(d.framing.crop), straighten_(d.framing.straighten) {
  frame_ = {std::max(1, frame_.width), std::max(1, frame_.height)};
  aspect_ = static_cast<double>(frame_.width) / frame_.height;
  shape_ = aspect_ * rest_.w / rest_.h;
  if (!d.framing.glide.keys.empty()) {
    for (int i = 0; i < shoot.frame_count(); ++i) times_.push_back(film.time(i));
    std::vector<GlideKey> keys;
    for (const KeyFrame& k : d.framing.glide.keys) {
      const Values& v = k.values;
      const int place = shoot.sequence.place_of(k.frame);
      keys.push_back({times_[static_cast<std::size_t>(place)],
                      {v[Param::crop_x], v[Param::crop_y], v[Param::crop_w], v[Param::crop_angle]},
                      k.easing});
    }
    std::ranges::sort(keys, {}, &GlideKey::time);
    for (const GlideKey& k : keys) keys_.push_back(k.crop);
    glide_.emplace(keys, aspect_, shape_);
  }
  const bool known = shoot.motion && !shoot.motion->frames.empty();
  if (d.framing.steady.how == Steadying::stars) {
    hold_stars(shoot, d, film);
  } else if (d.framing.steady.how != Steadying::off && known) {
    const auto moves = moves_of(shoot);
    const auto path =
        steady_path(moves, kept_counts(shoot), d.framing.steady.how, d.framing.steady.period);
    for (std::size_t i = 0; i < moves.size(); ++i)
      shaken_.push_back(then(inverse(path[i]), moves[i]));
  }
  find_fit(film);
}

// As far as they are held the camera goes with the sky from frame to frame; where they are not, it
// rests as it stands. In the middle of its way nothing is turned, so that the least is lost.
void FramingCourse::hold_stars(const Shoot& shoot, const Decisions& d, const FilmFrames& film) {
  if (!shoot.sky || !shoot.sky->found() || film.count() == 0) return;
  const SkyFit& fit = *shoot.sky;
  const Course held({d.framing.stars}, presets(kStarHold), time_axis(shoot.sequence.frames),
                    shoot.sequence.places);
  const int count = shoot.frame_count();
  auto by_id = [&](int k) { return static_cast<std::size_t>(shoot.sequence.id_of(k)); };
  std::vector<Rotation> turns(static_cast<std::size_t>(count), kNoRotation);
  int last = -1;  // frame that is known
  for (int k = 0; k < count; ++k) {
    const auto i = static_cast<std::size_t>(k);
    if (k > 0) turns[i] = turns[i - 1];
    if (by_id(k) >= fit.frames.size() || !fit.frames[by_id(k)].valid) continue;
    if (last >= 0) {
      const Rotation step = fit.between(static_cast<int>(by_id(last)), static_cast<int>(by_id(k)));
      const double share = held.at(Param::star_hold, k) / 100;
      turns[i] = then(turns[i - 1], share == 1 ? step : part_of(step, share));
    }
    last = k;
  }
  int first_shown = count - 1, last_shown = 0;
  for (int k = 0; k < film.count(); ++k)
    for (const FilmPart& part : film[k].parts)
      first_shown = std::min(first_shown, part.frame),
      last_shown = std::max(last_shown, part.frame);
  const Rotation begin = turns[static_cast<std::size_t>(first_shown)];
  const double way = angle_of(then(inverse(begin), turns[static_cast<std::size_t>(last_shown)]));
  int middle = first_shown;
  while (middle < last_shown &&
         angle_of(then(inverse(begin), turns[static_cast<std::size_t>(middle)])) < way / 2)
    ++middle;
  const Rotation back = inverse(turns[static_cast<std::size_t>(middle)]);
  for (int k = first_shown; k <= last_shown; ++k)
    held_turn_ = std::max(held_turn_, angle_of(then(back, turns[static_cast<std::size_t>(k)])) *
                                          180 / std::numbers::pi);
  if (held_turn_ > kMostHeld) return;
  for (const Rotation& turn : turns) skies_.push_back({fit.lens, then(back, turn)});
}

double FramingCourse::time(int frame) const {
  return times_.empty() ? frame : times_[static_cast<std::size_t>(frame)];
}

CropAt FramingCourse::crop(double time) const {
  return glide_ ? glide_->at(time) : CropAt{rest_.x, rest_.y, rest_.w, 0};
}

Values FramingCourse::values(int frame) const {
  const CropAt c = crop(time(frame));
  Values out{kGlide};
  out[Param::crop_x] = c.x, out[Param::crop_y] = c.y;
  out[Param::crop_w] = c.w, out[Param::crop_angle] = c.angle;
  return out;
}

double FramingCourse::speed(double time) const { return glide_ ? glide_->speed(time) : 0; }

Similarity FramingCourse::shaken(int frame) const {
  return shaken_.empty() ? Similarity{} : shaken_[static_cast<std::size_t>(frame)];
}

std::optional<SkyTurn> FramingCourse::sky(int frame) const {
  if (skies_.empty()) return {};
  return skies_[static_cast<std::size_t>(frame)];
}

Rect FramingCourse::rect_of(const CropAt& c) const {
  return glide_ ? Rect{c.x, c.y, c.w, c.w * aspect_ / shape_} : rest_;
}

Rect FramingCourse::trimmed(Rect r, double want) const {
  const double have = r.w * frame_.width / (r.h * frame_.height);
  Rect out = r;
  have > want ? out.w *= want / have : out.h *= have / want;
  out.x += (r.w - out.w) / 2;
  out.y += (r.h - out.h) / 2;
  return out;
}

FramingCourse::Placed FramingCourse::placed(const CropAt& c, double fit, double shape,
                                            const Similarity& shaken) const {
  const Rect r = rect_of(c);
  const double w = frame_.width, h = frame_.height;
  double across = fit * r.w * w, down = fit * r.h * h;
  across / down > shape ? across = down* shape : down = across / shape;
  const double turn = (c.angle + straighten_) * std::numbers::pi / 180 + shaken.angle,
               scale = std::exp(shaken.log_scale);
  // Similarities are in widths of the frame, from its middle.
  const Offset to = moved(shaken, {r.x + r.w / 2 - 0.5, (r.y + r.h / 2 - 0.5) / aspect_});
  across *= scale, down *= scale;
  return {{(to.x + 0.5) * w, to.y * w + 0.5 * h},
          {across * std::cos(turn), across * std::sin(turn)},
          {-down * std::sin(turn), down * std::cos(turn)}};
}

// By how much the crop would have to be smaller to lie within the frame.
double FramingCourse::fit_of(const CropAt& c, const Similarity& shaken) const {
  const Placed p = placed(c, 1, shape_, shaken);
  const double reach_x = (std::fabs(p.right.x) + std::fabs(p.down.x)) / 2,
               reach_y = (std::fabs(p.right.y) + std::fabs(p.down.y)) / 2;
  const double room_x = std::min(p.middle.x, frame_.width - p.middle.x),
               room_y = std::min(p.middle.y, frame_.height - p.middle.y);
  const double fit = std::min(room_x / reach_x, room_y / reach_y);
  constexpr double kTouches = 1e-9;
  return fit > 1 - kTouches ? 1 : std::max(kLeastFit, fit);
}

// The same below a turned sky, no more than `most`: by points along its border.
double FramingCourse::fit_of(const CropAt& c, const SkyTurn& sky, double most) const {
  constexpr int kAlong = 12, kHalvings = 24;
  auto lies_within = [&](double fit) {
    const Placed p = placed(c, fit, shape_, {});
    for (int k = 0; k < 4 * kAlong; ++k) {
      const double t = static_cast<double>(k % kAlong) / kAlong - 0.5;
      const double u = k < kAlong       ? t
                       : k < 2 * kAlong ? 0.5
                       : k < 3 * kAlong ? -t
                                        : -0.5,
                   v = k < kAlong       ? -0.5
                       : k < 2 * kAlong ? t
                       : k < 3 * kAlong ? 0.5
                                        : -t;
      const Point at = sky.at({(p.middle.x + u * p.right.x + v * p.down.x) / frame_.width,
                               (p.middle.y + u * p.right.y + v * p.down.y) / frame_.height});
      if (at.x < 0 || at.y < 0 || at.x > 1 || at.y > 1) return false;
    }
    return true;
  };
  if (lies_within(most)) return most;
  double in = kLeastFit, out = most;
  for (int k = 0; k < kHalvings; ++k) {
    const double between = (in + out) / 2;
    (lies_within(between) ? in : out) = between;
  }
  return in;
}

void FramingCourse::find_fit(const FilmFrames& film) {
  if (straighten_ == 0 && !glide_ && shaken_.empty() && skies_.empty()) return;
  if (!glide_ && shaken_.empty() && skies_.empty()) {
    fit_ = fit_turn_ = fit_of(crop(0), {});
    return;
  }
  for (int k = 0; k < film.count(); ++k) {
    const CropAt c = crop(k);
    fit_turn_ = std::min(fit_turn_, fit_of(c, {}));
    for (const FilmPart& part : film[k].parts) {
      if (!shaken_.empty()) fit_ = std::min(fit_, fit_of(c, shaken(part.frame)));
      if (!skies_.empty()) fit_ = fit_of(c, skies_[static_cast<std::size_t>(part.frame)], fit_);
    }
  }
  fit_ = std::min(fit_, fit_turn_);
}

Placement FramingCourse::film(double time, int frame, Size size) const {
  Placement out = placement(time, frame, shape_of(size));
  out.size = size;
  // A row or a column less than the whole frame has is left out: nothing is resampled for that.
  const double off_x = frame_.width - size.width, off_y = frame_.height - size.height;
  const Placement crop_of_it = all_of_crop(time, frame);
  const bool whole =
      !glide_ && skies_.empty() && !crop_of_it.is_turned() && crop_of_it.part() == Rect{};
  if (whole && off_x >= 0 && off_x < 2 && off_y >= 0 && off_y < 2)
    return {{0, 0, size.width / static_cast<double>(frame_.width),
             size.height / static_cast<double>(frame_.height)},
            size};
  return out;
}

Placement FramingCourse::all_of_crop(double time, int frame) const {
  return placement(time, frame, shape_);
}

Placement FramingCourse::placement(double time, int frame, double shape) const {
  const CropAt c = crop(time);
  auto below_sky = [&](Placement flat) {
    flat.sky = sky(frame);
    return flat;
  };
  if (c.angle + straighten_ == 0 && shaken_.empty() && fit_ == 1)
    return below_sky(trimmed(rect_of(c), shape));
  Placed p = placed(c, fit_, shape, shaken(frame));
  // Between frames, or where even the smallest crop would reach beyond: never over the border.
  const double w = frame_.width, h = frame_.height;
  auto inside = [](double middle, double reach, double all) {
    return 2 * reach >= all ? all / 2 : std::clamp(middle, reach, all - reach);
  };
  p.middle.x = inside(p.middle.x, (std::fabs(p.right.x) + std::fabs(p.down.x)) / 2, w);
  p.middle.y = inside(p.middle.y, (std::fabs(p.right.y) + std::fabs(p.down.y)) / 2, h);
  Placement out;
  out.right = {p.right.x / w, p.right.y / h};
  out.down = {p.down.x / w, p.down.y / h};
  out.corner = {p.middle.x / w - (out.right.x + out.down.x) / 2,
                p.middle.y / h - (out.right.y + out.down.y) / 2};
  return below_sky(out);
}

Placement FramingCourse::whole_frame(int frame, Size size, Size film) const {
  const Rect r = trimmed(rect_of(crop(time(frame))), shape_of(film));
  if (fit_ == 1) return {Rect{}, size, r};
  const Rect fitted{r.x + r.w * (1 - fit_) / 2, r.y + r.h * (1 - fit_) / 2, r.w * fit_, r.h * fit_};
  return {Rect{}, size, fitted};
}

double FramingCourse::smallest_width() const {
  double w = keys_.empty() ? rest_.w : keys_.front().w;
  for (const CropAt& c : keys_) w = std::min(w, c.w);
  return w;
}

Size FramingCourse::smallest() const {
  const double w = smallest_width();
  const double h = keys_.empty() ? rest_.h : w * aspect_ / shape_;
  return natural_size(frame_, {0, 0, fit_ * w, fit_ * h});
}

Size FramingCourse::smallest(Size size) const {
  const double w = smallest_width(), h = keys_.empty() ? rest_.h : w * aspect_ / shape_;
  const Rect r = trimmed({0, 0, w, h}, shape_of(size));
  return natural_size(frame_, {0, 0, fit_ * r.w, fit_ * r.h});
}

}  // namespace tsukimi
