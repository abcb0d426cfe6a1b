// SPDX-License-Identifier: GPL-3.0-or-later
// The shape of a grain's shadow, in a picture of stops against the surroundings.
#pragma once

#include <vector>

#include "image/image.h"

namespace tsukimi {

// A shadow as in repairs/repair.h, in pixels of the picture.
struct ShadowFit {
  double x = 0, y = 0, radius = 0, strength = 0;
  double left = 1;    // share of the variance within two radii that the shadow does not explain
  double around = 0;  // stops: robust spread of the surroundings
  double falloff = 2;
};
// Radius in pixels below which a deep small shadow and a shallow wide one look alike.
constexpr double least_radius(double smoothing) { return smoothing > 0 ? 0.8 * smoothing : 0.5; }
// The same grain at an aperture that many times smaller.
ShadowFit scaled(const ShadowFit& fit, double by);

// The shadow as stops on a square of pixels, its middle at (dx, dy) from the middle of the square's
// own; smoothed as the picture is (sigma, pixels).
class ShadowShape {
 public:
  // Of a fit its radius, strength and falloff count.
  ShadowShape(const ShadowFit& fit, double dx, double dy, double smoothing);
  int reach() const { return reach_; }  // x and y below: -reach..reach
  float at(int x, int y) const { return stops_.at(x + reach_ + 2, y + reach_ + 2); }
  double slope_x(int x, int y) const {
    return (8 * (at(x + 1, y) - at(x - 1, y)) - (at(x + 2, y) - at(x - 2, y))) / 12;
  }
  double slope_y(int x, int y) const {
    return (8 * (at(x, y + 1) - at(x, y - 1)) - (at(x, y + 2) - at(x, y - 2))) / 12;
  }

 private:
  int reach_;  // two more pixels are kept, for slopes
  Plane stops_;
};

// The shadow that fits best round a place, beginning with a radius. smoothing: sigma by which the
// picture was smoothed, pixels; the fit allows for it.
ShadowFit fit_shadow(const Plane& stops, double x, double y, double radius, double smoothing);

// Spots that are darker than all of their surroundings, the darkest first.
struct DarkSpot {
  int x, y;
  double radius, depth;  // pixels, stops
};
std::vector<DarkSpot> dark_spots(const Plane& stops, double least, double most_radius);

}  // namespace tsukimi
