// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/pace_json.h"

#include "document/files/keys_json.h"

namespace tsukimi {
using nlohmann::json;

json to_json(const Pace& p, const Sequence& sequence) {
  return {{"speed", rows_json(p.speed, sequence)},
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
  read_rows(f, "speed", frames, out.speed);
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
