// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/pace_json.h"

#include "document/files/keys_json.h"

namespace tsukimi {
using nlohmann::json;

json to_json(const Pace& p, const Sequence& sequence) {
  json speed = json::array();
  for (const KeyFrame& k : p.speed.keys) {
    speed.push_back({{"frame", sequence.place_of(k.frame)}, {"speed", k.values[Param::speed]}});
    if (k.easing != Easing::smooth) speed.back()["easing"] = kEasings[k.easing].name;
  }
  return {{"speed", speed},
          {"length", p.length},
          {"faster", kFasterWords[p.faster].name},
          {"slower", kSlowerWords[p.slower].name},
          {"gaps", kGapPolicies[p.gaps].name},
          {"blur", p.blur},
          {"blur_along", p.blur_along},
          {"fade_in", p.fade_in},
          {"fade_out", p.fade_out},
          {"fade_to", p.fade_white ? "white" : "black"}};
}

Pace read_pace(const Fields& f, int frames) {
  f.nothing_but({"speed", "length", "faster", "slower", "gaps", "blur", "blur_along", "fade_in",
                 "fade_out", "fade_to"});
  Pace out;
  each_key(f, "speed", frames, [&](const Fields& k, FrameId frame) {
    k.nothing_but({"frame", "speed", "easing"});
    Values values = presets(kPace);
    values[Param::speed] = k.number("speed", info(Param::speed).min, info(Param::speed).max);
    out.speed.at(frame, values).easing = read_easing(k);
  });
  out.length = f.number("length", 0, kLongestFilm);
  out.faster = f.choice("faster", kFasterWords);
  out.slower = f.choice("slower", kSlowerWords);
  out.gaps = f.choice("gaps", kGapPolicies);
  out.blur = f.number("blur", 0, kMostBlur);
  out.blur_along = f.flag("blur_along");
  out.fade_in = f.number("fade_in", 0, kLongestFade);
  out.fade_out = f.number("fade_out", 0, kLongestFade);
  out.fade_white = f.choice("fade_to", {"black", "white"}) == 1;
  return out;
}

}  // namespace tsukimi
