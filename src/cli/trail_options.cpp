// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/trail_options.h"

#include <cmath>
#include <iostream>

#include "base/text.h"
#include "cli/commands.h"
#include "document/values.h"
#include "film/checks.h"
#include "film/propose_sky.h"
#include "film/sky.h"
#include "sky/sky_fit.h"

namespace tsukimi::cli {
namespace {

constexpr std::string_view kMinutes = "min";

// "40", "10min": a number and whether it counts minutes.
bool parse_length(std::string text, double& value, bool& minutes) {
  minutes = text.ends_with(kMinutes);
  if (minutes) text.resize(text.size() - kMinutes.size());
  return parse_number(std::string_view(text), value) && value >= 0 &&
         value <= info(Param::trail_length).max;
}

// The place of that number, from 1, or name.
int find_place(const std::vector<LocalPlace>& places, const std::string& what) {
  int number = 0;
  if (parse_number(std::string_view(what), number)) return number - 1;
  for (std::size_t i = 0; i < places.size(); ++i)
    if (places[i].name == what) return static_cast<int>(i);
  return -1;
}

}  // namespace

void TrailOptions::add_to(CLI::App& c) {
  c.add_option("--trails", kind_,
               "Star trails: grow; comet:N, tails of N frames (or comet:10min); or none");
  c.add_option("--trail-length", lengths_,
               "Length of tails: N or Nmin everywhere, N@frame at a frame; several between "
               "semicolons; 0: points")
      ->expected(1)
      ->take_all();
  c.add_option("--trail-fade", fade_, "Stops by which a tail is darker at its end (4)")
      ->check(CLI::Range(0.5, 12.0));
  c.add_option("--trail-every", every_, "Only every so many frames leave a trail")
      ->check(CLI::Range(1, kMostEvery));
  c.add_flag("--trails-back", back_, "The film begins with all of the trails and goes to points");
  c.add_flag("--open-gaps", open_gaps_, "Leave the gaps between exposures as they are");
  c.add_option("--trails-sky", sky_,
               "The place that is the sky, by number from 1 or name; auto: found by its stars");
  c.add_option("--ground", ground_,
               "Outside of the sky: each (frame's own), frame:K (of one), mean:N (of N frames)");
  c.add_option("--keep-out", keep_out_, "streaks: what is in one frame only leaves no trail")
      ->check(CLI::IsMember({"streaks"}));
  c.add_option("--hold-stars", holds_,
               "With --steady stars: how far they stand, 0 to 100, everywhere or as N@frame; "
               "several between semicolons")
      ->expected(1)
      ->take_all();
}

void TrailOptions::parse() {
  trails_ = {};
  at_frames_.clear(), held_.clear();
  constexpr std::string_view kComet = "comet:";
  bool minutes = false, any_frames = false;
  double length = 0;
  if (kind_ == "grow") {
    trails_.kind = TrailKind::grow;
  } else if (kind_.starts_with(kComet) &&
             parse_length(kind_.substr(kComet.size()), length, minutes)) {
    trails_.kind = TrailKind::comet;
    at_frames_.push_back({length, -1});
    any_frames = !minutes;
  } else if (!kind_.empty() && kind_ != "none") {
    throw CLI::ValidationError("--trails",
                               "\"" + kind_ + "\" is not grow, comet:N, comet:Nmin or none");
  }
  for (const std::string& option : lengths_)
    for (const std::string& text : split(option, ';')) {
      const AtFrame at = parse_at_frame(text);
      bool of_minutes = false;
      if (!parse_length(at.what, length, of_minutes))
        throw CLI::ValidationError("--trail-length", "\"" + text + "\" is not N, Nmin or N@frame");
      (of_minutes ? minutes : any_frames) = true;
      at_frames_.push_back({length, at.frame});
    }
  if (minutes && any_frames)
    throw CLI::ValidationError("--trail-length", "lengths are all in frames, or all in minutes");
  if (minutes) trails_.unit = TrailUnit::minutes;
  const bool asks = !lengths_.empty() || back_ || open_gaps_ || every_ > 1 || fade_ > 0 ||
                    !keep_out_.empty() || ground_ != "each";
  if (trails_.kind == TrailKind::none && asks)
    throw CLI::ValidationError("--trails", "is needed: grow or comet:N");
  if (trails_.kind == TrailKind::grow && !at_frames_.empty())
    throw CLI::ValidationError("--trail-length", "is of tails: --trails comet:N");
  trails_.every = every_;
  trails_.falls_back = back_;
  trails_.close_gaps = !open_gaps_;
  trails_.keep_out = !keep_out_.empty();
  constexpr std::string_view kFrame = "frame:", kMean = "mean:";
  const std::string_view ground = ground_;
  ground_frame_ = -1;
  if (ground.starts_with(kFrame) && parse_number(ground.substr(kFrame.size()), ground_frame_) &&
      ground_frame_ >= 0)
    trails_.ground = TrailGround::frame;
  else if (ground.starts_with(kMean) &&
           parse_number(ground.substr(kMean.size()), trails_.ground_mean) &&
           trails_.ground_mean >= kFewestMean && trails_.ground_mean <= kMostMean)
    trails_.ground = TrailGround::mean;
  else if (ground != "each")
    throw CLI::ValidationError(
        "--ground", "\"" + ground_ + "\" is not each, frame:K or mean:N with N from 2 to 200");
  for (const std::string& option : holds_)
    for (const std::string& text : split(option, ';')) {
      const AtFrame at = parse_at_frame(text);
      double amount = 0;
      if (!parse_number(std::string_view(at.what), amount) || !(amount >= 0 && amount <= 100))
        throw CLI::ValidationError("--hold-stars", "\"" + text + "\" is not from 0 to 100");
      held_.push_back({amount, at.frame});
    }
}

Result<void> TrailOptions::apply(Shoot& shoot) const {
  Decisions& d = shoot.decisions;
  d.trails = trails_;
  const auto set = [&](Param p, const Length& l) -> Result<void> {
    if (l.frame >= shoot.frame_count())
      return fail("There is no frame " + std::to_string(l.frame) + ".");
    // Without a key frame it is the same everywhere.
    set_value(shoot, p, std::max(l.frame, 0), l.value);
    return {};
  };
  for (const Length& l : at_frames_)
    if (auto ok = set(Param::trail_length, l); !ok) return ok;
  if (fade_ > 0) {
    if (d.trails.values.keys.empty()) add_key(shoot, 0, {kTrails});
    for (KeyFrame& k : d.trails.values.keys) k.values[Param::trail_fade] = fade_;
  }
  for (const Length& l : held_)
    if (auto ok = set(Param::star_hold, l); !ok) return ok;
  if (!held_.empty() && d.framing.steady.how != Steadying::stars)
    return fail("--hold-stars is for --steady stars.");
  if (ground_frame_ >= shoot.frame_count())
    return fail("There is no frame " + std::to_string(ground_frame_) + " for --ground.");
  if (ground_frame_ >= 0) d.trails.ground_frame = shoot.sequence.id_of(ground_frame_);
  if (!sky_.empty() && sky_ != "auto") {
    const int place = find_place(d.places, sky_);
    if (place < 0 || place >= std::ssize(d.places))
      return fail("There is no place " + printable(sky_) + " for --trails-sky.");
    d.places[static_cast<std::size_t>(place)].sky = true;
  }
  if (!wants_sky(shoot) && sky_ != "auto") return {};
  // Measured now, and kept: what the sky does is to be known before an export is begun.
  ProxyStore store(shoot.sequence.folder);
  const Work work{terminal_progress("looking for stars"), cancel_flag()};
  know_sky(shoot, store, work, sky_ == "auto");
  if (work.stop()) return fail("Stopped; nothing was written.");
  if (sky_ != "auto" || (shoot.sky && shoot.sky->found()))
    for (const std::string& note : sky_notes(shoot)) std::cerr << "tsukimi-batch: " << note << "\n";
  if (sky_ != "auto") return {};
  auto place = propose_sky(shoot, store);
  if (!place) return tl::unexpected(place.error());
  d.places.push_back(std::move(*place));
  return {};
}

}  // namespace tsukimi::cli
