// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/framing/framing_course.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "document/pace/film_frames.h"
#include "motion/track.h"

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
  if (d.framing.steady.how != Steadying::off && known) {
    const auto moves = moves_of(shoot);
    const auto path =
        steady_path(moves, kept_counts(shoot), d.framing.steady.how, d.framing.steady.period);
    for (std::size_t i = 0; i < moves.size(); ++i)
      shaken_.push_back(then(inverse(path[i]), moves[i]));
  }
  find_fit(film);
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

void FramingCourse::find_fit(const FilmFrames& film) {
  if (straighten_ == 0 && !glide_ && shaken_.empty()) return;
  if (!glide_ && shaken_.empty()) {
    fit_ = fit_turn_ = fit_of(crop(0), {});
    return;
  }
  for (int k = 0; k < film.count(); ++k) {
    const CropAt c = crop(k);
    fit_turn_ = std::min(fit_turn_, fit_of(c, {}));
    if (!shaken_.empty())
      for (const FilmPart& part : film[k].parts)
        fit_ = std::min(fit_, fit_of(c, shaken(part.frame)));
  }
  fit_ = std::min(fit_, fit_turn_);
}

Placement FramingCourse::film(double time, int frame, Size size) const {
  Placement out = placement(time, frame, shape_of(size));
  out.size = size;
  // A row or a column less than the whole frame has is left out: nothing is resampled for that.
  const double off_x = frame_.width - size.width, off_y = frame_.height - size.height;
  const Placement crop_of_it = all_of_crop(time, frame);
  const bool whole = !glide_ && !crop_of_it.is_turned() && crop_of_it.part() == Rect{};
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
  if (c.angle + straighten_ == 0 && shaken_.empty() && fit_ == 1) {
    return trimmed(rect_of(c), shape);
  }
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
  return out;
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
