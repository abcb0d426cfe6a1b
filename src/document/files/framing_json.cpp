// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/framing_json.h"

#include "document/files/keys_json.h"

namespace tsukimi {
using nlohmann::json;
namespace {

constexpr double kMostTurn = 45, kLeastCrop = 0.005, kLeastFollowed = 1e-4;

void read_glide(const Fields& f, int frames, KeyedValues& glide) {
  each_key(f, "glide", frames, [&](const Fields& k, FrameId frame) {
    std::vector<std::string> names{"frame", "easing"};
    Values values = presets(kGlide);
    for (const auto& row : kGlide.rows()) {
      names.push_back(row.name);
      if (row.id != Param::crop_angle || k.has(row.name))
        values[row.id] = k.number(row.name, row.min, row.max);
    }
    k.nothing_but(names);
    glide.at(frame, values).easing = read_easing(k);
  });
}

}  // namespace

json to_json(const Rect& r) { return json::array({r.x, r.y, r.w, r.h}); }

Rect read_rect(const Fields& f, const char* key, double least) {
  const auto v = f.numbers(key, 4);
  const Rect r{v[0], v[1], v[2], v[3]};
  if (!(r.x >= 0 && r.y >= 0 && r.x + r.w <= 1.000001 && r.y + r.h <= 1.000001))
    f.wrong(key, "lies outside the frame");
  if (!(r.w >= least && r.h >= least)) f.wrong(key, "is too small");
  return r;
}

json to_json(const Framing& framing, const Sequence& sequence) {
  json areas = json::array();
  for (const Rect& area : framing.steady.areas) areas.push_back(to_json(area));
  return {{"aspect", framing.aspect},
          {"crop", to_json(framing.crop)},
          {"straighten", framing.straighten},
          {"glide", rows_json(framing.glide, sequence)},
          {"steady",
           {{"how", kSteadyings[framing.steady.how].name},
            {"period", framing.steady.period},
            {"areas", areas},
            {"stars", rows_json(framing.stars, sequence)}}}};
}

Framing read_framing(const Fields& f, int frames) {
  Framing out;
  out.aspect = f.text("aspect");
  if (!out.aspect.empty() && out.aspect != "frame" && !parse_aspect(out.aspect))
    f.wrong("aspect", "is not a shape such as 16:9");
  out.crop = read_rect(f, "crop", kLeastCrop);
  if (f.has("straighten")) out.straighten = f.number("straighten", -kMostTurn, kMostTurn);
  if (f.has("glide")) read_glide(f, frames, out.glide);
  if (!f.has("steady")) return out;
  const Fields steady = f.object("steady");
  out.steady.how = steady.choice("how", kSteadyings);
  out.steady.period = steady.number("period", kLeastPeriod, kMostPeriod);
  if (steady.has("stars")) read_rows(steady, "stars", frames, out.stars);
  if (steady.has("areas"))
    for (const auto& area : steady.list("areas")) {
      const json one{{"area", area}};
      const std::string name = "areas[" + std::to_string(out.steady.areas.size()) + "]";
      out.steady.areas.push_back(read_rect(Fields(one, steady.name(name)), "area", kLeastFollowed));
    }
  return out;
}

}  // namespace tsukimi
