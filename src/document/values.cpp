// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/values.h"

#include <cmath>

#include "document/framing/framing_edit.h"
#include "sky/sky_fit.h"

namespace tsukimi {

Course course_of(const Shoot& shoot, const KeyTarget& target) {
  // The speed runs over the film's frames, whatever time the camera let pass between them.
  return {keyed(shoot.decisions, target),
          target.kind == kLook ? neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint)
                               : presets(target.kind),
          target.kind == kPace ? places_in(kept_frames_of(shoot), shoot.frame_count())
                               : time_axis(shoot.sequence.frames),
          shoot.sequence.places};
}

// Where about a place lies at its first key frame.
static Point middle_of(const LocalPlace& place) {
  for (const MaskShape& shape : place.shapes) {
    if (!shape.values.keys.empty()) {
      const Values& v = shape.values.keys.front().values;
      if (shape.kind == ShapeKind::ellipse) return {v[Param::centre_x], v[Param::centre_y]};
      return {(v[Param::from_x] + v[Param::to_x]) / 2, (v[Param::from_y] + v[Param::to_y]) / 2};
    }
    Point sum;
    int points = 0;
    for (const PaintedKey& key : shape.painted)
      for (const Stroke& stroke : key.painting.strokes())
        for (const Point& p : stroke.points) sum.x += p.x, sum.y += p.y, ++points;
    if (points > 0) return {sum.x / points, sum.y / points};
  }
  return {0.5, 0.5};
}

// How what lies there goes with the sky, as a similarity: near there it is none other.
static std::vector<Similarity> sky_moves(const Shoot& shoot, Point there) {
  std::vector<Similarity> out;
  const SkyFit& fit = *shoot.sky;
  const double aspect = fit.lens.aspect;
  constexpr double kNear = 0.02;
  auto widths = [&](Point p) { return Offset{p.x - 0.5, (p.y - 0.5) / aspect}; };
  for (int k = 0; k < shoot.frame_count(); ++k) {
    const auto id = static_cast<std::size_t>(shoot.sequence.id_of(k));
    if (id >= fit.frames.size() || !fit.frames[id].valid) {
      out.push_back(out.empty() ? Similarity{} : out.back());
      continue;
    }
    const SkyTurn turn{fit.lens, fit.frames[id].turn};
    const Offset from = widths(there), to = widths(turn.at(there)),
                 beside = widths(turn.at({there.x + kNear, there.y})),
                 below = widths(turn.at({there.x, there.y + kNear * aspect}));
    const double cosine = ((beside.x - to.x) + (below.y - to.y)) / (2 * kNear),
                 sine = ((beside.y - to.y) - (below.x - to.x)) / (2 * kNear);
    Similarity s;
    s.angle = std::atan2(sine, cosine);
    s.log_scale = std::log(std::max(std::hypot(sine, cosine), 1e-3));
    const Offset without = moved(s, from);
    s.dx = to.x - without.x, s.dy = to.y - without.y;
    out.push_back(s);
  }
  return out;
}

PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place,
                            const std::vector<double>& axis) {
  std::vector<Similarity> moves;
  if (place.follow == Follow::picture && shoot.motion) moves = moves_of(shoot);
  if (place.follow == Follow::stars && shoot.sky && shoot.sky->found())
    moves = sky_moves(shoot, middle_of(place));
  return {place, axis, shoot.sequence.places, std::move(moves), aspect_of(shoot)};
}

PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place) {
  return place_course_of(shoot, place, time_axis(shoot.sequence.frames));
}

Values& values_at_key(Shoot& shoot, int frame, const KeyTarget& target) {
  if (target.kind == kGlide) return glide_at_key(shoot, frame);
  auto& all = keyed(shoot.decisions, target);
  const FrameId id = shoot.sequence.id_of(frame);
  auto now = [&] {
    if (all.find(id)) return Values{};
    if (target.kind != kGraduated && target.kind != kEllipse)
      return course_of(shoot, target).at(frame);
    const auto& place = shoot.decisions.places.at(static_cast<std::size_t>(target.number));
    return place_course_of(shoot, place)
        .whole(frame)
        .shapes.at(static_cast<std::size_t>(target.shape))
        .values;
  };
  return all.at(id, now()).values;
}

void add_key(Shoot& shoot, int frame, const KeyTarget& target) {
  values_at_key(shoot, frame, target);
}

void set_value(Shoot& shoot, Setting setting, int frame, double value, bool everywhere) {
  const KeyTarget target = setting.target();
  const Param p = setting.param;
  if (target.kind == kGlide) return set_glide_value(shoot, p, frame, value, everywhere);
  auto& all = keyed(shoot.decisions, target);
  if (everywhere && !all.keys.empty())
    move_all(all, p, course_of(shoot, target).at(p, frame), value);
  else
    values_at_key(shoot, frame, target)[p] = clamped(p, value);
}

}  // namespace tsukimi
