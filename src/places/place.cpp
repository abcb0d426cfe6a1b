// SPDX-License-Identifier: GPL-3.0-or-later
#include "places/place.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"

namespace tsukimi {
namespace {

void number(std::string& out, double v) {
  char text[40];
  std::snprintf(text, sizeof text, " %.9g", v);
  out += text;
}

void limit(std::string& out, const char* what, const Limit& l) {
  out += std::string(" ") + what;
  for (double v : {l.from, l.to, l.soft}) number(out, v);
}

}  // namespace

const Kind& kind_of(ShapeKind kind) { return kind == ShapeKind::ellipse ? kEllipse : kGraduated; }

namespace {

// A shape of a frame as it lies in another, which a similarity takes it to.
void move_shape(Values& v, ShapeKind kind, const Similarity& by, double aspect) {
  auto point = [&](Param x, Param y) {
    const Offset to = moved(by, {v[x] - 0.5, (v[y] - 0.5) / aspect});
    v[x] = to.x + 0.5, v[y] = to.y * aspect + 0.5;
  };
  if (kind == ShapeKind::graduated) {
    point(Param::from_x, Param::from_y);
    point(Param::to_x, Param::to_y);
    return;
  }
  point(Param::centre_x, Param::centre_y);
  v[Param::radius_x] *= std::exp(by.log_scale);
  v[Param::radius_y] *= std::exp(by.log_scale);
  v[Param::ellipse_angle] += by.angle * 180 / std::numbers::pi;
}

}  // namespace

PlaceCourse::PlaceCourse(const LocalPlace& place, const std::vector<double>& axis,
                         const std::vector<int>& places, std::vector<Similarity> motion,
                         double aspect)
    : place_(place),
      values_(place.values, presets(kPlace), axis, places),
      axis_(axis),
      aspect_(aspect) {
  if (place.follow != Follow::nothing && motion.size() == axis.size()) motion_ = std::move(motion);
  auto place_of = [&](FrameId id) { return places[static_cast<std::size_t>(id)]; };
  for (const MaskShape& shape : place.shapes) {
    ShapeCourse& course = shapes_.emplace_back();
    // What follows the picture runs as the scene has it: as if the camera had stood where it was at
    // the first frame.
    KeyedValues values = shape.values;
    if (!motion_.empty())
      for (KeyFrame& k : values.keys)
        move_shape(k.values, shape.kind,
                   inverse(motion_[static_cast<std::size_t>(place_of(k.frame))]), aspect_);
    if (shape.kind != ShapeKind::painted)
      course.values.emplace(values, presets(kind_of(shape.kind)), axis, places);
    for (const PaintedKey& key : shape.painted)
      course.painted.push_back(
          {axis[static_cast<std::size_t>(place_of(key.frame))], place_of(key.frame), key});
    std::ranges::sort(course.painted, {}, &ShapeCourse::Painted::time);
  }
}

PlaceAt PlaceCourse::whole(int frame) const {
  PlaceAt out{place_.invert, {}, place_.tones, place_.hues, values_.at(frame)};
  for (std::size_t i = 0; i < shapes_.size(); ++i) {
    const ShapeCourse& course = shapes_[i];
    ShapeAt& shape = out.shapes.emplace_back();
    shape.kind = place_.shapes[i].kind;
    shape.how = place_.shapes[i].how;
    if (course.values) shape.values = course.values->at(frame);
    if (course.values && !motion_.empty())
      move_shape(shape.values, shape.kind, motion_[static_cast<std::size_t>(frame)], aspect_);
    if (course.painted.empty()) continue;
    auto from = [&](int key) {
      return motion_.empty() || key == frame ? Similarity{}
                                             : then(inverse(motion_[static_cast<std::size_t>(key)]),
                                                    motion_[static_cast<std::size_t>(frame)]);
    };
    const double now = axis_[static_cast<std::size_t>(frame)];
    auto next = std::ranges::upper_bound(course.painted, now, {}, &ShapeCourse::Painted::time);
    const auto last = next == course.painted.begin() ? next : next - 1;
    auto guided = [](const PaintedKey& key) {
      return GuideAt{key.painting.follows_edges() ? key.frame : FrameId::none, {}, {}};
    };
    shape.painting = last->key.painting;
    shape.guide = guided(last->key);
    shape.from_key = from(last->frame);
    if (next == course.painted.end() || next == last || !last->key.dissolves) continue;
    shape.next = next->key.painting;
    shape.next_guide = guided(next->key);
    shape.from_next = from(next->frame);
    shape.dissolved = (now - last->time) / (next->time - last->time);
    const bool same = shape.next == shape.painting && shape.guide.key == shape.next_guide.key &&
                      shape.from_key == shape.from_next;
    if (shape.dissolved > 0 && !same) continue;
    shape.next = {}, shape.next_guide = {}, shape.from_next = {}, shape.dissolved = 0;
  }
  return out;
}

std::optional<PlaceAt> PlaceCourse::at(int frame) const {
  if (!place_.on) return {};
  PlaceAt out = whole(frame);
  if (out.share() == 0) return {};
  const bool works = std::ranges::any_of(kPlace.rows(), [&](const ParameterInfo& row) {
    return row.id != Param::place_strength && out.values[row.id] != row.preset;
  });
  if (!works) return {};
  return out;
}

MaskShape new_shape(ShapeKind kind, FrameId frame) {
  MaskShape out;
  out.kind = kind;
  if (kind == ShapeKind::painted) {
    out.painted.push_back({frame, {}, true});
    return out;
  }
  out.values.kind = kind_of(kind);
  out.values.at(frame, presets(out.values.kind));
  return out;
}

LocalPlace new_place(std::string name, ShapeKind kind, FrameId frame) {
  LocalPlace out;
  out.name = std::move(name);
  out.shapes.push_back(new_shape(kind, frame));
  out.values.at(frame, presets(kPlace));
  return out;
}

void move_keys(LocalPlace& place, const std::function<FrameId(FrameId)>& to) {
  auto move = [&](auto& keys) {
    for (auto& k : keys) k.frame = to(k.frame);
    std::erase_if(keys, [](const auto& k) { return k.frame == FrameId::none; });
    std::ranges::sort(keys, {}, [](const auto& k) { return k.frame; });
  };
  move(place.values.keys);
  for (MaskShape& shape : place.shapes) move(shape.values.keys), move(shape.painted);
}

void add_text(std::string& out, const PlaceAt& place) {
  out += out.empty() ? "place" : " place";
  if (place.invert) out += " inverted";
  for (const auto& row : kPlace.rows()) {
    if (place.values[row.id] == row.preset) continue;
    out += std::string(" ") + row.name;
    number(out, place.values[row.id]);
  }
  if (place.limits_tones()) limit(out, "tones", place.tones);
  if (place.limits_hues()) limit(out, "hues", place.hues);
  for (const ShapeAt& s : place.shapes) {
    out += std::string(" ") + kCombines[s.how].name + " " + kShapeKinds[s.kind].name;
    if (s.kind != ShapeKind::painted) {
      for (double v : s.values.numbers) number(out, v);
      continue;
    }
    out += " ";
    auto painted = [&](const Painting& painting, const GuideAt& guide, const Similarity& from) {
      out += std::to_string(painting.sum());
      if (from != Similarity{}) {
        out += " moved";
        for (double v : {from.dx, from.dy, from.angle, from.log_scale}) number(out, v);
      }
      if (guide.key != FrameId::none)
        out += " by " + to_json_name(guide.frame.file) + " " + std::to_string(guide.frame.modified);
    };
    painted(s.painting, s.guide, s.from_key);
    if (s.dissolved > 0) {
      out += " to ";
      painted(s.next, s.next_guide, s.from_next);
      number(out, s.dissolved);
    }
  }
}

}  // namespace tsukimi
