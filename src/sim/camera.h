// The simulated camera: a Bayer sensor with noise, exposure in exact thirds of a stop, and the
// flaws of real shoots, each of which can be switched off.
#pragma once

#include <cstdint>
#include <vector>

#include "frames/camera_colour.h"
#include "image/image.h"

namespace tsukimi::sim {

struct CameraOptions {
  int frames = 180;
  double interval = 20;  // s
  std::uint32_t seed = 1;
  bool steps = true, flicker = true, wrong_aperture = true, ruined = true, wobble = true,
       dust = true, hot_pixels = true, gap = true, noise = true;
};

// One shot as it was really taken, and what its metadata says.
struct Shot {
  int number = 0;                                               // of the camera's counter
  double time = 0;                                              // s since 1970
  double progress = 0;                                          // of the evening
  int shutter_thirds = 0, iso_thirds = 0, aperture_thirds = 0;  // exact: 2^(k/3), f-number 2^(k/6)
  double flicker = 1;                                           // factor on the light
  double wobble_x = 0, wobble_y = 0;                            // px
  bool ruined = false, wrong_setting = false, late_step = false;

  double true_gain() const { return (shutter_thirds + iso_thirds - aperture_thirds) / 3.0; }
  double nominal_shutter() const;   // s
  double nominal_aperture() const;  // f-number
  double nominal_iso() const;
};

// What the photographer sets out to do and what goes wrong, from the meter's view of the evening:
// light(progress) in stops.
std::vector<Shot> plan_shots(const CameraOptions& options, const std::vector<double>& light);

constexpr int kBlack = 512, kWhite = 16383;
const CameraColour& camera_colour();  // matrices; neutral for the fixed daylight setting

struct Mosaic {
  int width = 0, height = 0;
  std::vector<std::uint16_t> data;  // RGGB, 14 bit
};

// Exposes linear sRGB scene light.
Mosaic expose(const Image& scene, const Shot& shot, const CameraOptions& options);

}  // namespace tsukimi::sim
