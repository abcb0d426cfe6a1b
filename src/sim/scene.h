// SPDX-License-Identifier: GPL-3.0-or-later
// The harbour of a small tidal island from late afternoon into night, as linear light.
//
// Scene coordinates: x from 0 at the left to the aspect ratio at the right, y from 0 at the top to
// 1 at the bottom; the horizon lies at 0.5. What does not move is painted once into layers (what
// each pixel is made of and how sun, sky and lamps fall on it); a moment is those layers lit, plus
// sky, water and what moves.
#pragma once

#include <cstdint>
#include <vector>

#include "image/image.h"
#include "sim/noise.h"

namespace tsukimi::sim {

// What a point of land or masonry is made of.
struct Surface {
  Rgb albedo;
  float sun = 0;    // how much direct sun it takes, 0..1.5
  float sky = 1;    // open sky above it
  float lamp = 0;   // street lamps falling on it
  float haze = 0;   // air between it and the camera, 0..1
  float cover = 0;  // 0 where there is nothing: sky or water shows
};

struct Lamp {
  float x, y;  // scene coordinates
  float size;  // of its glow
  float strength;
  float on;  // progress of the evening (0..1) at which it is switched on
  Rgb colour;
  bool beacon = false;  // the lighthouse: its light turns
};

struct Window {
  float x0, y0, x1, y1;
  float on, off;
  Rgb colour;  // light when lit
};

struct Layer {
  int width = 0, height = 0;
  std::vector<Surface> surface;
};

// Houses, cranes, lamps and windows laid out from the seed; the painter reads it.
struct Village;

class HarbourScene {
 public:
  HarbourScene(Size size, std::uint32_t seed);
  ~HarbourScene();
  HarbourScene(HarbourScene&&) noexcept;

  // progress: 0 late afternoon .. 1 night. seconds: since the first frame, moves clouds and water.
  // Result: linear sRGB primaries, 1 about a white wall in the afternoon sun.
  // stars: the few that stand in the last of its sky.
  Image render(double progress, double seconds, bool stars = true) const;
  // How much of each pixel shows the sky, 0..1; what floats is not looked at.
  Plane open_sky() const;

 private:
  Size size_;
  std::uint32_t seed_;
  Layer back_, front_;  // behind the water, before it
  std::vector<Lamp> lamps_;
  std::vector<Window> windows_;
};

// How the evening runs: sun, sky and lamps by progress.
struct Evening {
  float elevation;            // of the sun, degrees
  Rgb sun;                    // light of the sun on a surface facing it
  Rgb sky;                    // light of the whole sky on an open surface
  Rgb zenith, horizon, glow;  // colours of the sky itself; glow is round the sun
  float lamps;                // 0..1, how many of the lamps matter
  float tide;                 // y of the waterline at the far quay
};
Evening evening_at(double progress);

constexpr float kHorizon = 0.5f, kQuayTop = 0.532f, kQuayFoot = 0.61f, kHighWater = 0.562f;
constexpr float kSunX = 1.13f;  // where the sun goes down

// Painting of the two layers (scene_paint.cpp).
Surface paint_back(float x, float y, const Village& village, std::uint32_t seed);
Surface paint_front(float x, float y, std::uint32_t seed);
float pier_depth(float x, float y);  // > 0 on the near pier

}  // namespace tsukimi::sim
