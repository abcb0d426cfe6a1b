// SPDX-License-Identifier: GPL-3.0-or-later
// What a frame of the film keeps of the light of those before it: plain data.
#pragma once

#include <optional>
#include <string>

#include "document/shoot/trails.h"
#include "framing/sky_turn.h"
#include "places/place.h"

namespace tsukimi {

// How the sky turned from the frame of the film before to this one.
struct SkyStep {
  SkyLens lens;
  Ray pole{};
  double angle = 0;  // about it
  bool operator==(const SkyStep&) const = default;
};

struct TrailAt {
  double keeps = 1;             // share of the light of the trail before it that is left, 0..1
  bool adds = true;             // its own light is left to those behind it
  std::optional<PlaceAt> sky;   // where; nothing: everywhere
  std::optional<SkyStep> step;  // nothing: not known, and then nothing is closed or kept out
  bool close_gaps = false, keep_out = false;
  TrailGround ground = TrailGround::each;
  int ground_mean = 1;
  // A checksum of all that the frames say that its trail is made from, its own among them; set
  // where frames follow each other (film/trails.h), empty else.
  std::string all_before = {};
  bool operator==(const TrailAt&) const = default;
};

// In a line, the same on every run; for the text of a recipe.
void add_text(std::string& out, const TrailAt& trail);

}  // namespace tsukimi
