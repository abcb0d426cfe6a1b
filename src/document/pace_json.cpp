#include "document/pace_json.h"

#include "document/keys_json.h"

namespace tsukimi {
using nlohmann::json;
namespace {

// In the order of their enumerations.
const std::vector<std::string> kFaster{"skip", "average"}, kSlower{"motion", "dissolve", "repeat"},
    kGaps{"close", "keep", "fill"}, kFadeTo{"black", "white"};

template <typename T>
const std::string& word(const std::vector<std::string>& words, T which) {
  return words[static_cast<std::size_t>(which)];
}

}  // namespace

json to_json(const Pace& p, const Sequence& sequence) {
  json speed = json::array();
  for (const KeyFrame& k : p.speed.keys) {
    speed.push_back({{"frame", sequence.place_of(k.frame)}, {"speed", k.values[Param::speed]}});
    if (k.easing != Easing::smooth) speed.back()["easing"] = name_of(k.easing);
  }
  return {{"speed", speed},
          {"length", p.length},
          {"faster", word(kFaster, p.faster)},
          {"slower", word(kSlower, p.slower)},
          {"gaps", word(kGaps, p.gaps)},
          {"blur", p.blur},
          {"blur_along", p.blur_along},
          {"fade_in", p.fade_in},
          {"fade_out", p.fade_out},
          {"fade_to", word(kFadeTo, p.fade_white)}};
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
  out.faster = static_cast<Faster>(f.choice("faster", kFaster));
  out.slower = static_cast<Slower>(f.choice("slower", kSlower));
  out.gaps = static_cast<GapPolicy>(f.choice("gaps", kGaps));
  out.blur = f.number("blur", 0, kMostBlur);
  out.blur_along = f.flag("blur_along");
  out.fade_in = f.number("fade_in", 0, kLongestFade);
  out.fade_out = f.number("fade_out", 0, kLongestFade);
  out.fade_white = f.choice("fade_to", kFadeTo) == 1;
  return out;
}

}  // namespace tsukimi
