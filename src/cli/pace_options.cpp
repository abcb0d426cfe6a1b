// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/pace_options.h"

namespace tsukimi::cli {

void PaceOptions::add_to(CLI::App& c) {
  c.add_option("--speed", speed_,
               "Frames of the sequence that pass in a frame of the film: a number, or key frames "
               "FRAME:S;...");
  c.add_option("--fit-length", pace_.length, "Seconds that the film lasts; the speed follows")
      ->check(CLI::Range(0.01, kLongestFilm));
  c.add_option("--faster", faster_, "Where it runs faster than shot: skip frames, or average them")
      ->check(CLI::IsMember(kFasterWords.names()));
  c.add_option("--slower", slower_,
               "Where it runs slower: frames made along the motion, dissolve, or repeat")
      ->check(CLI::IsMember(kSlowerWords.names()));
  c.add_option("--gaps", gaps_,
               "Where the camera paused: close up, keep the time (a still), or fill it with made "
               "frames")
      ->check(CLI::IsMember(kGapPolicies.names()));
  c.add_option("--blur", pace_.blur, "Degrees of each frame during which the shutter is open")
      ->check(CLI::Range(0.0, kMostBlur));
  c.add_flag("--blur-along", pace_.blur_along, "Blur along what moves, not by dissolving");
  c.add_option("--fade-in", pace_.fade_in, "Seconds")->check(CLI::Range(0.0, kLongestFade));
  c.add_option("--fade-out", pace_.fade_out, "Seconds")->check(CLI::Range(0.0, kLongestFade));
  c.add_option("--fade-to", fade_to_, "black or white")->check(CLI::IsMember({"black", "white"}));
}

void PaceOptions::parse() {
  keys_.clear();
  auto wrong = [&](const std::string& text) {
    throw CLI::ValidationError("--speed", "\"" + text +
                                              "\" is neither a speed from 0.05 to 20 nor key "
                                              "frames such as 0:1;90:0.5");
  };
  auto read = [&](std::string_view text, double& speed) {
    return parse_number(text, speed) && speed >= info(Param::speed).min &&
           speed <= info(Param::speed).max;
  };
  if (speed_.empty()) {
  } else if (speed_.find(':') == speed_.npos) {
    Key key;
    if (!read(speed_, key.speed)) wrong(speed_);
    keys_.push_back(key);
  } else {
    for (const std::string& text : split(speed_, ';')) {
      Key key;
      const auto colon = std::min(text.find(':'), text.size());
      if (!parse_number(std::string_view(text).substr(0, colon), key.frame) || key.frame < 0 ||
          colon == text.size() || !read(std::string_view(text).substr(colon + 1), key.speed))
        wrong(text);
      keys_.push_back(key);
    }
  }
  pace_.faster = kFasterWords.named(faster_);
  pace_.slower = kSlowerWords.named(slower_);
  pace_.gaps = kGapPolicies.named(gaps_);
  pace_.fade_white = fade_to_ == "white";
}

Result<void> PaceOptions::apply(Shoot& shoot) const {
  Pace pace = pace_;
  for (const Key& k : keys_) {
    const std::string name = "The key frame " + std::to_string(k.frame) + " of --speed ";
    if (k.frame >= shoot.frame_count())
      return fail(name + "is not in the sequence, which has frames 0 to " +
                  std::to_string(shoot.frame_count() - 1) + ".");
    const FrameId id = shoot.sequence.id_of(k.frame);
    if (pace.speed.find(id)) return fail(name + "is there twice.");
    pace.speed.at(id, presets(kPace)).values[Param::speed] = k.speed;
  }
  shoot.decisions.pace = pace;
  return {};
}

}  // namespace tsukimi::cli
