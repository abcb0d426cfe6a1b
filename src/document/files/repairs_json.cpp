// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/repairs_json.h"

#include <cmath>
#include <limits>

#include "base/overloaded.h"
#include "document/files/keys_json.h"

namespace tsukimi {
using nlohmann::json;
namespace {

constexpr double kNowhere = std::numeric_limits<double>::quiet_NaN();

json pair(const Point& p) { return json::array({p.x, p.y}); }

Point read_point(const Fields& f, const char* key) {
  const auto v = f.numbers(key, 2);
  if (!(v[0] >= 0 && v[0] <= 1 && v[1] >= 0 && v[1] <= 1)) f.wrong(key, "lies outside the frame");
  return {v[0], v[1]};
}

Values read_spot(const Fields& f, Values v) {
  if (f.has("at")) {
    const Point at = read_point(f, "at");
    v[Param::spot_x] = at.x, v[Param::spot_y] = at.y;
  }
  if (f.has("radius")) v[Param::spot_radius] = f.number("radius", 0.0005, 0.5);
  if (f.has("from")) {
    const Point from = read_point(f, "from");
    v[Param::spot_from_x] = from.x, v[Param::spot_from_y] = from.y;
  }
  return v;
}

double read_falloff(const Fields& f) {
  return f.has("falloff") ? f.number("falloff", Shadow::kMostPointed, Shadow::kFlattest)
                          : Shadow::kRound;
}

DustRepair read_dust(const Fields& f) {
  DustRepair out;
  f.nothing_but({"kind", "on", "at", "radius", "strength", "falloff", "aperture", "shadows"});
  out.at = read_point(f, "at");
  if (f.has("shadows")) {
    for (const auto& one : f.list("shadows")) {
      const Fields s(one, f.name("shadows[" + std::to_string(out.shadows.size()) + "]"));
      s.nothing_but({"aperture", "radius", "strength", "falloff"});
      out.shadows.push_back({s.number("aperture", 0, 200), s.number("radius", 0.0001, 0.5),
                             s.number("strength", 0, 0.95), read_falloff(s)});
    }
  } else {
    // Without a strength it is measured: until then there is none.
    out.shadows.push_back({f.has("aperture") ? f.number("aperture", 0, 200) : 0,
                           f.number("radius", 0.0001, 0.5),
                           f.has("strength") ? f.number("strength", 0, 0.95) : 0, read_falloff(f)});
  }
  std::ranges::sort(out.shadows, {}, &Shadow::aperture);
  return out;
}

json to_json(const Quilt& q) {
  json offsets = json::array();
  for (const Point& p : q.offsets) offsets.push_back(pair(p));
  return {{"from", pair(q.from)},
          {"cell", pair(q.cell)},
          {"columns", q.columns},
          {"offsets", offsets},
          {"which", q.which}};
}

Quilt read_quilt(const Fields& f) {
  f.nothing_but({"from", "cell", "columns", "offsets", "which"});
  constexpr std::size_t kMostCells = 100000, kMostOffsets = 255;
  Quilt out;
  auto point = [&](const char* key, double low, double high) {
    const auto v = f.numbers(key, 2);
    for (double n : v)
      if (!(n >= low && n <= high)) f.wrong(key, "is no such place");
    return Point{v[0], v[1]};
  };
  out.from = point("from", -1, 2);
  out.cell = point("cell", 1e-5, 1);
  out.columns = f.whole("columns", 1, 1000);
  for (const auto& p : f.list("offsets")) {
    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number() ||
        !(std::fabs(p[0].get<double>()) <= 1 && std::fabs(p[1].get<double>()) <= 1))
      f.wrong("offsets", "must be a list of [dx, dy]");
    out.offsets.push_back({p[0], p[1]});
  }
  if (out.offsets.empty() || out.offsets.size() > kMostOffsets)
    f.wrong("offsets", "are too many or none");
  for (const auto& k : f.list("which")) {
    if (!k.is_number_unsigned() || k.get<std::size_t>() >= out.offsets.size())
      f.wrong("which", "names no offset");
    out.which.push_back(static_cast<std::uint8_t>(k.get<std::size_t>()));
  }
  const auto columns = static_cast<std::size_t>(out.columns);
  if (out.which.empty() || out.which.size() > kMostCells || out.which.size() % columns != 0)
    f.wrong("which", "does not fill the rows");
  out.rows = static_cast<int>(out.which.size() / columns);
  return out;
}

AreaRepair read_area(const Fields& f, int frames) {
  AreaRepair out;
  f.nothing_but({"kind", "on", "polygon", "fill", "source", "quilt", "frames", "fade"});
  for (const auto& p : f.list("polygon")) {
    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number() ||
        !(p[0] >= 0 && p[0] <= 1 && p[1] >= 0 && p[1] <= 1))
      f.wrong("polygon", "must be a list of [x, y] within the frame");
    out.polygon.push_back({p[0], p[1]});
  }
  if (out.polygon.size() < 3) f.wrong("polygon", "has fewer than three corners");
  if (f.has("fill")) out.fill = f.choice("fill", kFills);
  out.source = out.fill == FillFrom::time ? middle_of(out.polygon) : Point{kNowhere, kNowhere};
  if (f.has("source"))
    out.source = read_point(f, "source");
  else if (out.fill == FillFrom::source)
    f.wrong("source", "is missing");
  if (f.has("quilt")) out.quilt = read_quilt(f.object("quilt"));
  if (f.has("frames")) {
    const auto ends = f.numbers("frames", 2);
    const bool whole = ends[0] == std::floor(ends[0]) && ends[1] == std::floor(ends[1]);
    if (!(whole && ends[0] >= 0 && ends[1] >= ends[0] && ends[1] < frames))
      f.wrong("frames", "are no frames of the sequence");
    out.first = static_cast<FrameId>(static_cast<int>(ends[0]));
    out.last = static_cast<FrameId>(static_cast<int>(ends[1]));
  }
  if (f.has("fade")) out.fade = f.whole("fade", 0, 1000);
  if (out.fill == FillFrom::time && out.first == FrameId::none)
    f.wrong("frames", "is missing: time fills a range of them");
  return out;
}

SpotRepair read_spot_repair(const Fields& f, int frames) {
  f.nothing_but({"kind", "on", "at", "radius", "from", "keys"});
  SpotRepair out;
  Values always = presets(kSpot);
  always[Param::spot_from_x] = always[Param::spot_from_y] = kNowhere;
  if (!f.has("keys") && !f.has("at")) f.wrong("at", "is missing");
  always = read_spot(f, always);
  if (f.has("keys"))
    each_key(f, "keys", frames, [&](const Fields& k, FrameId frame) {
      k.nothing_but({"frame", "easing", "at", "radius", "from"});
      out.values.at(frame, read_spot(k, always)).easing = read_easing(k);
    });
  if (out.values.keys.empty()) out.values.at(FrameId{0}, always);
  return out;
}

Repair read_repair(const Fields& f, int frames) {
  Repair out;
  switch (f.choice("kind", kRepairKinds)) {
    case RepairKind::spot:
      out.what = read_spot_repair(f, frames);
      break;
    case RepairKind::dust:
      out.what = read_dust(f);
      break;
    case RepairKind::area:
      out.what = read_area(f, frames);
      break;
  }
  if (f.has("on")) out.on = f.flag("on");
  return out;
}

void add_fields(json& out, const SpotRepair& spot, const Sequence& s) {
  json keys = json::array();
  for (const KeyFrame& k : spot.values.keys) {
    json key{{"frame", s.place_of(k.frame)},
             {"at", pair({k.values[Param::spot_x], k.values[Param::spot_y]})},
             {"radius", k.values[Param::spot_radius]}};
    if (!std::isnan(k.values[Param::spot_from_x]))
      key["from"] = pair({k.values[Param::spot_from_x], k.values[Param::spot_from_y]});
    if (k.easing != Easing::smooth) key["easing"] = kEasings[k.easing].name;
    keys.push_back(std::move(key));
  }
  out["keys"] = keys;
}

void add_fields(json& out, const DustRepair& dust, const Sequence&) {
  out["at"] = pair(dust.at);
  json shadows = json::array();
  for (const Shadow& d : dust.shadows) {
    shadows.push_back({{"aperture", d.aperture}, {"radius", d.radius}, {"strength", d.strength}});
    if (d.falloff != Shadow::kRound) shadows.back()["falloff"] = d.falloff;
  }
  out["shadows"] = shadows;
}

void add_fields(json& out, const AreaRepair& area, const Sequence& s) {
  json polygon = json::array();
  for (const Point& p : area.polygon) polygon.push_back(pair(p));
  out["polygon"] = polygon;
  out["fill"] = kFills[area.fill].name;
  if (!std::isnan(area.source.x)) out["source"] = pair(area.source);
  if (!area.quilt.empty()) out["quilt"] = to_json(area.quilt);
  if (area.first != FrameId::none) out["frames"] = {s.place_of(area.first), s.place_of(area.last)};
  out["fade"] = area.fade;
}

}  // namespace

bool is_incomplete(const Repair& r) {
  return std::visit(
      Overloaded{
          [](const SpotRepair& spot) {
            return std::ranges::any_of(spot.values.keys, [](const KeyFrame& k) {
              return std::isnan(k.values[Param::spot_from_x]);
            });
          },
          [](const DustRepair& dust) {
            return std::ranges::any_of(dust.shadows,
                                       [](const Shadow& s) { return s.strength == 0; });
          },
          [](const AreaRepair& area) { return !area.is_from_time() && std::isnan(area.source.x); }},
      r.what);
}

json to_json(const Repair& r, const Sequence& s) {
  json out{{"kind", kRepairKinds[r.kind()].name}, {"on", r.on}};
  std::visit([&](const auto& what) { add_fields(out, what, s); }, r.what);
  return out;
}

std::vector<Repair> read_repairs(const Fields& f, int frames) {
  std::vector<Repair> out;
  for (const auto& r : f.list("repairs"))
    out.push_back(
        read_repair(Fields(r, f.name("repairs[" + std::to_string(out.size()) + "]")), frames));
  return out;
}

Result<std::vector<Repair>> read_repairs_file(const std::filesystem::path& file, int frames) {
  std::vector<Repair> out;
  const auto ok = read_json_file(file, [&](const Fields& f) {
    f.nothing_but({"repairs"});
    out = read_repairs(f, frames);
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace tsukimi
