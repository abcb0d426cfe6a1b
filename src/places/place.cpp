#include "places/place.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace tsukimi {
namespace {

constexpr const char *kShapeNames[] = {"graduated", "ellipse", "painted"},
                     *kHowNames[] = {"add", "take", "cut"};

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

const char* name_of(ShapeKind kind) { return kShapeNames[static_cast<std::size_t>(kind)]; }
const char* name_of(Combine how) { return kHowNames[static_cast<std::size_t>(how)]; }

const Kind& kind_of(ShapeKind kind) { return kind == ShapeKind::ellipse ? kEllipse : kGraduated; }

PlaceCourse::PlaceCourse(const LocalPlace& place, const std::vector<double>& axis,
                         const std::vector<int>& places)
    : place_(place), values_(place.values, presets(kPlace), axis, places), axis_(axis) {
  for (const MaskShape& shape : place.shapes) {
    ShapeCourse& course = shapes_.emplace_back();
    if (shape.kind != ShapeKind::painted)
      course.values.emplace(shape.values, presets(kind_of(shape.kind)), axis, places);
    for (const PaintedKey& key : shape.painted)
      course.painted.emplace_back(
          axis[static_cast<std::size_t>(places[static_cast<std::size_t>(key.frame)])], key);
    std::ranges::sort(course.painted, {}, [](const auto& k) { return k.first; });
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
    if (course.painted.empty()) continue;
    const double now = axis_[static_cast<std::size_t>(frame)];
    auto next =
        std::ranges::upper_bound(course.painted, now, {}, [](const auto& k) { return k.first; });
    const auto last = next == course.painted.begin() ? next : next - 1;
    auto guided = [](const PaintedKey& key) {
      return GuideAt{key.painting.follows_edges() ? key.frame : FrameId::none, {}, {}};
    };
    shape.painting = last->second.painting;
    shape.guide = guided(last->second);
    if (next == course.painted.end() || next == last || !last->second.dissolves) continue;
    shape.next = next->second.painting;
    shape.next_guide = guided(next->second);
    shape.dissolved = (now - last->first) / (next->first - last->first);
    const bool same = shape.next == shape.painting && shape.guide.key == shape.next_guide.key;
    if (shape.dissolved <= 0 || same) shape.next = {}, shape.next_guide = {}, shape.dissolved = 0;
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
    out += std::string(" ") + name_of(s.how) + " " + name_of(s.kind);
    if (s.kind != ShapeKind::painted) {
      for (double v : s.values.numbers) number(out, v);
      continue;
    }
    out += " ";
    auto painted = [&](const Painting& painting, const GuideAt& guide) {
      out += std::to_string(painting.sum());
      if (guide.key != FrameId::none)
        out += " by " + to_json_name(guide.frame.file) + " " + std::to_string(guide.frame.modified);
    };
    painted(s.painting, s.guide);
    if (s.dissolved > 0) {
      out += " to ";
      painted(s.next, s.next_guide);
      number(out, s.dissolved);
    }
  }
}

}  // namespace tsukimi
