// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/framing/framing_edit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "document/pace/film_frames.h"

namespace tsukimi {
namespace {

constexpr double kSmallest = 0.02;  // of the frame's width

Values values_of(const CropAt& c) {
  Values v{kGlide};
  v[Param::crop_x] = c.x, v[Param::crop_y] = c.y, v[Param::crop_w] = c.w;
  v[Param::crop_angle] = clamped(Param::crop_angle, c.angle);
  return v;
}

// high: heights of the frame per width of it.
CropAt within(CropAt c, double high) {
  const double middle_x = c.x + c.w / 2, middle_y = c.y + c.w * high / 2;
  c.w = std::clamp(c.w, kSmallest, std::min(1.0, 1 / high));
  c.x = std::clamp(middle_x - c.w / 2, 0.0, 1 - c.w);
  c.y = std::clamp(middle_y - c.w * high / 2, 0.0, std::max(0.0, 1 - c.w * high));
  return c;
}

CropAt crop_of(const Values& v) {
  return {v[Param::crop_x], v[Param::crop_y], v[Param::crop_w], v[Param::crop_angle]};
}

double high_of(const Shoot& shoot) {
  const Rect& crop = shoot.decisions.framing.crop;
  return crop.h / crop.w;
}

}  // namespace

void set_shape(Shoot& shoot, const std::string& aspect) {
  Framing& f = shoot.decisions.framing;
  const auto named = parse_aspect(aspect);
  const double before = high_of(shoot);
  f.aspect = aspect;
  if (aspect.empty()) return;
  f.crop = named ? crop_to_aspect(shoot.sequence.size, *named) : Rect{};
  const double high = high_of(shoot);
  for (KeyFrame& k : f.glide.keys) {
    CropAt c = crop_of(k.values);
    c.y += c.w * (before - high) / 2;
    k.values = values_of(within(c, high));
  }
}

void set_crop(Shoot& shoot, int frame, CropAt crop, std::optional<double> height) {
  Framing& f = shoot.decisions.framing;
  if (height) {
    const double w = std::clamp(crop.w, kSmallest, 1.0), h = std::clamp(*height, kSmallest, 1.0);
    f.crop = {std::clamp(crop.x, 0.0, 1 - w), std::clamp(crop.y, 0.0, 1 - h), w, h};
    crop.w = w, crop.x = f.crop.x, crop.y = f.crop.y;
  }
  const double high = high_of(shoot);
  crop = within(crop, high);
  if (f.glide.keys.empty()) {
    if (!height) f.crop = {crop.x, crop.y, crop.w, std::min(1.0, crop.w * high)};
    return;
  }
  glide_at_key(shoot, frame) = values_of(crop);
  // Of another shape now, all of them lie within the frame.
  if (height)
    for (KeyFrame& k : f.glide.keys) k.values = values_of(within(crop_of(k.values), high));
}

Values& glide_at_key(Shoot& shoot, int frame) {
  KeyedValues& glide = shoot.decisions.framing.glide;
  const FrameId id = shoot.sequence.id_of(frame);
  return glide.at(id, glide.find(id) ? Values{} : FramingCourse(shoot).values(frame)).values;
}

void set_glide_value(Shoot& shoot, Param p, int frame, double value, bool everywhere) {
  KeyedValues& glide = shoot.decisions.framing.glide;
  const double high = high_of(shoot);
  auto set = [&](KeyFrame& k, double to) {
    CropAt c = crop_of(k.values);
    if (p == Param::crop_w) {
      c.x += (c.w - to) / 2, c.y += (c.w - to) * high / 2;
      c.w = to;
      k.values = values_of(within(c, high));
      return;
    }
    k.values[p] = to;
    k.values = values_of(within(crop_of(k.values), high));
  };
  if (!everywhere || glide.keys.empty()) {
    glide_at_key(shoot, frame);
    return set(glide.at(shoot.sequence.id_of(frame), {}), clamped(p, value));
  }
  KeyedValues moved = glide;
  move_all(moved, p, FramingCourse(shoot).values(frame)[p], value);
  for (std::size_t i = 0; i < glide.keys.size(); ++i) set(glide.keys[i], moved.keys[i].values[p]);
}

void end_glide(Shoot& shoot, int frame) {
  Framing& f = shoot.decisions.framing;
  if (f.glide.keys.empty()) return;
  const FramingCourse course(shoot);
  const CropAt c = course.crop(course.time(frame));
  const double high = high_of(shoot);
  f.glide.keys.clear();
  f.crop = {c.x, c.y, c.w, std::min(1.0, c.w * high)};
}

void propose_glide(Shoot& shoot, GlideKind kind) {
  constexpr double kCloser = 0.8, kAcross = 0.125;
  const auto film = film_frames(shoot);
  if (film.size() < 2) return;
  Framing& f = shoot.decisions.framing;
  end_glide(shoot, film.front().frame);
  const Rect& c = f.crop;
  auto smaller = [&](double by, double x) {  // x: 0 at the left of the crop, 1 at its right
    return CropAt{c.x + x * (1 - by) * c.w, c.y + (1 - by) * c.h / 2, by * c.w, 0};
  };
  const CropAt whole = smaller(1, 0), middle = smaller(kCloser, 0.5);
  const CropAt left = smaller(1 - kAcross, 0), right = smaller(1 - kAcross, 1);
  const CropAt ends[][2] = {{whole, middle}, {middle, whole}, {right, left}, {left, right}};
  const auto& [from, to] = ends[static_cast<std::size_t>(kind)];
  f.glide.at(shoot.sequence.id_of(film.front().frame), values_of(from));
  f.glide.at(shoot.sequence.id_of(film.back().frame), values_of(to));
  ease_ends(shoot);
}

double lean_of(const Shoot& shoot, Point from, Point to) {
  const double x = (to.x - from.x) * aspect_of(shoot), y = to.y - from.y;
  if (x == 0 && y == 0) return 0;
  const double degrees = std::atan2(y, x) * 180 / std::numbers::pi;
  return degrees - 90 * std::round(degrees / 90);
}

}  // namespace tsukimi
