// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/places_json.h"

#include "base/file.h"
#include "base/text.h"
#include "document/files/keys_json.h"

namespace tsukimi {
using nlohmann::json;
namespace {

constexpr double kFar = 3;  // how far beyond the frame a shape may lie

json pair(const Values& v, Param x, Param y) { return json::array({v[x], v[y]}); }

json key_of(const KeyFrame& k, const PlaceOf& place_of) {
  json out{{"frame", place_of(k.frame)}};
  if (k.easing != Easing::smooth) out["easing"] = kEasings[k.easing].name;
  return out;
}

json to_json(const Stroke& s) {
  json points = json::array();
  for (const Point& p : s.points) points.push_back({p.x, p.y});
  return {{"radius", s.radius}, {"softness", s.softness}, {"flow", s.flow},
          {"erase", s.erase},   {"edges", s.edges},       {"points", points}};
}

json to_json(const MaskShape& shape, const PlaceOf& place_of) {
  json keys = json::array();
  for (const KeyFrame& k : shape.values.keys) {
    json key = key_of(k, place_of);
    if (shape.kind == ShapeKind::graduated) {
      key["from"] = pair(k.values, Param::from_x, Param::from_y);
      key["to"] = pair(k.values, Param::to_x, Param::to_y);
    } else {
      key["centre"] = pair(k.values, Param::centre_x, Param::centre_y);
      key["radii"] = pair(k.values, Param::radius_x, Param::radius_y);
      key["angle"] = k.values[Param::ellipse_angle];
      key["feather"] = k.values[Param::ellipse_feather];
    }
    keys.push_back(std::move(key));
  }
  for (const PaintedKey& k : shape.painted) {
    json strokes = json::array();
    for (const Stroke& stroke : k.painting.strokes()) strokes.push_back(to_json(stroke));
    keys.push_back(
        {{"frame", place_of(k.frame)}, {"strokes", strokes}, {"dissolves", k.dissolves}});
  }
  return {
      {"kind", kShapeKinds[shape.kind].name}, {"how", kCombines[shape.how].name}, {"keys", keys}};
}

void read_pair(const Fields& f, const char* key, Values& v, Param x, Param y) {
  if (!f.has(key)) return;
  const auto both = f.numbers(key, 2);
  for (const auto& [p, n] : {std::pair{x, both[0]}, {y, both[1]}}) {
    if (!(n >= info(p).min && n <= info(p).max)) f.wrong(key, "lies too far from the frame");
    v[p] = n;
  }
}

Stroke read_stroke(const Fields& f) {
  f.nothing_but({"radius", "softness", "flow", "erase", "edges", "points"});
  Stroke out;
  out.radius = f.number("radius", 0.0005, 1);
  if (f.has("softness")) out.softness = f.number("softness", 0, 100);
  if (f.has("flow")) out.flow = f.number("flow", 0, 100);
  if (f.has("erase")) out.erase = f.flag("erase");
  if (f.has("edges")) out.edges = f.flag("edges");
  for (const auto& p : f.list("points")) {
    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number())
      f.wrong("points", "must be a list of [x, y]");
    const Point at{p[0], p[1]};
    if (!(std::abs(at.x) <= kFar && std::abs(at.y) <= kFar))
      f.wrong("points", "lie too far from the frame");
    out.points.push_back(at);
  }
  if (out.points.empty()) f.wrong("points", "is empty");
  return out;
}

PaintedKey read_painted(const Fields& f, FrameId frame) {
  f.nothing_but({"frame", "strokes", "dissolves"});
  std::vector<Stroke> strokes;
  for (const auto& s : f.list("strokes"))
    strokes.push_back(
        read_stroke(Fields(s, f.name("strokes[" + std::to_string(strokes.size()) + "]"))));
  PaintedKey out{frame, Painting(std::move(strokes)), true};
  if (f.has("dissolves")) out.dissolves = f.flag("dissolves");
  return out;
}

Values read_shape_values(const Fields& f, const Kind& kind) {
  Values v = presets(kind);
  if (kind == kGraduated) {
    f.nothing_but({"frame", "easing", "from", "to"});
    read_pair(f, "from", v, Param::from_x, Param::from_y);
    read_pair(f, "to", v, Param::to_x, Param::to_y);
    return v;
  }
  f.nothing_but({"frame", "easing", "centre", "radii", "angle", "feather"});
  read_pair(f, "centre", v, Param::centre_x, Param::centre_y);
  read_pair(f, "radii", v, Param::radius_x, Param::radius_y);
  if (f.has("angle")) v[Param::ellipse_angle] = f.number("angle", -360, 360);
  if (f.has("feather")) v[Param::ellipse_feather] = f.number("feather", 0, 100);
  return v;
}

MaskShape read_shape(const Fields& f, int frames) {
  f.nothing_but({"kind", "how", "keys"});
  MaskShape out;
  out.kind = f.choice("kind", kShapeKinds);
  if (f.has("how")) out.how = f.choice("how", kCombines);
  if (out.kind != ShapeKind::painted) out.values.kind = kind_of(out.kind);
  each_key(f, "keys", frames, [&](const Fields& k, FrameId frame) {
    if (out.kind == ShapeKind::painted) {
      out.painted.push_back(read_painted(k, frame));
      return;
    }
    auto& key = out.values.at(frame, read_shape_values(k, out.values.kind));
    key.easing = read_easing(k);
  });
  std::ranges::sort(out.painted, {}, &PaintedKey::frame);
  if (out.values.keys.empty() && out.painted.empty()) f.wrong("keys", "is empty");
  return out;
}

Limit read_limit(const Fields& f, const char* key, double most, double least_to) {
  const auto v = f.numbers(key, 3);
  const Limit out{v[0], v[1], v[2]};
  if (!(out.from >= 0 && out.from <= most && out.to >= out.from && out.to <= least_to))
    f.wrong(key, "is no range");
  if (!(out.soft >= 0 && out.soft <= most)) f.wrong(key, "has no such soft end");
  return out;
}

// Whether with the picture, or "stars".
Follow read_follow(const Fields& f) {
  if (!f.any("follow").is_string()) return f.flag("follow") ? Follow::picture : Follow::nothing;
  f.choice("follow", {"stars"});
  return Follow::stars;
}

json to_json(Follow follow) {
  return follow == Follow::stars ? json("stars") : json(follow == Follow::picture);
}

LocalPlace read_place(const Fields& f, int frames) {
  f.nothing_but(
      {"name", "on", "invert", "follow", "sky", "strength", "shapes", "tones", "hues", "keys"});
  LocalPlace out;
  if (f.has("name")) out.name = f.text("name");
  if (f.has("on")) out.on = f.flag("on");
  if (f.has("invert")) out.invert = f.flag("invert");
  if (f.has("follow")) out.follow = read_follow(f);
  if (f.has("sky")) out.sky = f.flag("sky");
  if (f.has("shapes"))
    for (const auto& s : f.list("shapes"))
      out.shapes.push_back(read_shape(
          Fields(s, f.name("shapes[" + std::to_string(out.shapes.size()) + "]")), frames));
  if (f.has("tones")) out.tones = read_limit(f, "tones", 100, 100);
  // Round the circle: a range may go on beyond 360, never once round.
  if (f.has("hues")) out.hues = read_limit(f, "hues", 360, 720);
  if (out.hues.to - out.hues.from > 360) f.wrong("hues", "goes round more than once");
  Values otherwise = presets(kPlace);
  if (f.has("strength")) otherwise[Param::place_strength] = f.number("strength", 0, 100);
  if (f.has("keys"))
    each_key(f, "keys", frames, [&](const Fields& k, FrameId frame) {
      k.nothing_but({"frame", "easing", "values"});
      auto& key = out.values.at(frame, read_values(k.object("values"), otherwise));
      key.easing = read_easing(k);
    });
  if (out.values.keys.empty()) out.values.at(FrameId{0}, otherwise);
  return out;
}

}  // namespace

json to_json(const LocalPlace& place, const PlaceOf& place_of) {
  json shapes = json::array(), keys = json::array();
  for (const MaskShape& shape : place.shapes) shapes.push_back(to_json(shape, place_of));
  for (const KeyFrame& k : place.values.keys) {
    json key = key_of(k, place_of), values = json::object();
    for (const auto& row : kPlace.rows())
      if (k.values[row.id] != row.preset) values[row.name] = k.values[row.id];
    key["values"] = values;
    keys.push_back(std::move(key));
  }
  auto limit = [](const Limit& l) { return json::array({l.from, l.to, l.soft}); };
  return {{"name", place.name},
          {"on", place.on},
          {"invert", place.invert},
          {"follow", to_json(place.follow)},
          {"sky", place.sky},
          {"shapes", shapes},
          {"tones", limit(place.tones)},
          {"hues", limit(place.hues)},
          {"keys", keys}};
}

json to_json(const LocalPlace& place, const Sequence& s) {
  return to_json(place, [&s](FrameId frame) { return s.place_of(frame); });
}

std::vector<LocalPlace> read_places(const Fields& f, int frames) {
  std::vector<LocalPlace> out;
  for (const auto& p : f.list("places")) {
    out.push_back(
        read_place(Fields(p, f.name("places[" + std::to_string(out.size()) + "]")), frames));
    if (out.back().name.empty()) out.back().name = "Place " + std::to_string(out.size());
  }
  return out;
}

Result<std::vector<LocalPlace>> read_places_file(const std::filesystem::path& file, int frames) {
  std::vector<LocalPlace> out;
  const auto ok = read_json_file(file, [&](const Fields& f) {
    f.nothing_but({"places"});
    out = read_places(f, frames);
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace tsukimi
