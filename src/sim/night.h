// SPDX-License-Identifier: GPL-3.0-or-later
// A clear night above a scene: stars, the Milky Way, and what comes across.
//
// The sky is a sphere that turns about a pole once in a sidereal day. Stars have magnitudes as real
// ones have (every magnitude three times as many) and the colours of black bodies. Light is added
// in the scene's units to what the scene is at night; a star is drawn along its way while the
// shutter is open.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "base/parallel.h"
#include "framing/sky_turn.h"
#include "image/image.h"
#include "sim/noise.h"

namespace tsukimi::sim {

struct NightOptions {
  double pole_x = 0.38, pole_y = -0.1;  // on the frame, in fractions of it; may lie outside
  bool backwards = false;               // the sky turns clockwise, as in the south
  int planes = 1, satellites = 3;       // over the whole sequence
  int lamps = 1;                        // frames that a car's lamp lights
  bool aurora = false, moonset = false;
  double bank_from = 0, bank_to = 0;  // from .. to, 0..1 of the sequence: clouds hide the stars
  int stars = 0;                      // of all; 0: as many as there are
  bool operator==(const NightOptions&) const = default;
};

struct Star {
  Ray at;           // at the first moment
  float light = 0;  // of all of it, scene light times px^2 at a width of 1500
  Rgb colour;
};

class NightSky {
 public:
  // length: s from the first frame to the last; interval: s between them; margin: by how many
  // pixels the scene is larger than the frame on every side.
  NightSky(Size scene, const NightOptions& options, std::uint32_t seed, double length,
           double interval, int margin = 0);

  // What the sky and what comes across add while the shutter is open from `seconds` on; `open` is
  // the share of each pixel that shows the sky.
  void add(Image& scene, const Plane& open, double seconds, double exposure) const;

  // The truth: the lens, the pole, the turn since the first moment (radians), a star's place.
  const SkyLens& lens() const { return lens_; }
  const Ray& pole() const { return pole_; }
  double turn(double seconds) const;
  const std::vector<Star>& stars() const { return stars_; }
  Point star_at(const Star& star, double seconds) const;  // fractions of the frame

  // Stops by which the evening's last light is darker at night.
  static constexpr double kDarker = 11.5;

 private:
  void add_glow(Image& scene, const Plane& open, double seconds) const;
  void add_stars(Image& scene, const Plane& open, double seconds, double exposure) const;
  void add_crossings(Image& scene, const Plane& open, double seconds, double exposure) const;
  double clear(double seconds) const;  // share of the stars' light that comes through

  struct Crossing {      // a plane or a satellite, in px
    double from, until;  // s
    double x0, y0, x1, y1;
    float light;
    bool strobes;
  };
  Size size_;
  NightOptions options_;
  std::uint32_t seed_;
  double length_, interval_;
  SkyLens lens_;
  Ray pole_;
  std::vector<Star> stars_;
  std::vector<Crossing> crossings_;
  std::vector<double> lamps_;  // s at which one shines
};

}  // namespace tsukimi::sim
