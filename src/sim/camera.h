// SPDX-License-Identifier: GPL-3.0-or-later
// The simulated camera: a Bayer sensor with noise, exposure in exact thirds of a stop, and the
// flaws of real shoots, each of which can be switched off.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "base/table.h"
#include "camera/camera_colour.h"
#include "image/image.h"
#include "sim/uneven.h"

namespace tsukimi::sim {

struct CameraOptions {
  int frames = 180;
  double interval = 20;  // s
  std::uint32_t seed = 1;
  bool steps = true, flicker = true, wrong_aperture = true, ruined = true, wobble = true,
       dust = true, hot_pixels = true, gap = true, noise = true;
  bool compressed = false;  // raw files packed without loss
  int bits = 16;            // of a number in the file; 14 hold all that there are
  // How the tripod moves, where it is not the usual little: pixels of a frame's wobble (standard
  // deviation), of the bump, of a drift over the whole sequence; degrees of a frame's turn.
  std::optional<double> shaking, bump;
  double drift = 0, turn = 0;
  bool lens =
      false;       // the lens bends, fringes and darkens; its profile is in camera/lens_profile.cpp
  int grains = 3;  // of dust
  bool profiles = false;  // of dust: every third grain is flat at its bottom, every third soft
  // From these frames on another f-number; the shutter makes up for it. Empty: f/5.6.
  std::vector<std::pair<int, double>> apertures;
  int faults = 0;           // further frames that something happens to, of every kind in turn
  int bracket = 1;          // shots per moment
  int bracket_thirds = 6;   // of a stop, from one of them to the next
  int first_number = 412;   // of the camera's counter, which wraps after 9999
  double start = 0;         // s after the usual beginning of the evening
  double from = 0, to = 1;  // the part of the evening's course of light that is shot; a dawn: back
  bool night = false;       // 15 s at ISO 1600 and f/2.8, whatever the light
  bool automatic = false;   // the camera meters every frame, not the photographer now and then
  double step_error = 0;  // stops: standard deviation of a setting from what its numbers stand for
  double fall = 0;        // stops by which the light falls beyond what this evening's does, evenly
  double flicker_percent = 3;  // standard deviation, where there is flicker
  UnevenOptions uneven;
  bool metadata = true;  // tells shutter, ISO and aperture
};

// What happened to a frame. All but `aperture` ruin it.
enum class Fault { none, headlights, flash, covered, blurred, bumped, aperture, truncated };
constexpr Words<Fault> kFaults{{{Fault::none, "none"},
                                {Fault::headlights, "headlights"},
                                {Fault::flash, "flash"},
                                {Fault::covered, "covered"},
                                {Fault::blurred, "blurred"},
                                {Fault::bumped, "bumped"},
                                {Fault::aperture, "aperture"},
                                {Fault::truncated, "truncated"}}};

// One shot as it was really taken, and what its metadata says.
struct Shot {
  int number = 0;       // of the camera's counter
  double time = 0;      // s since 1970
  double progress = 0;  // of the evening
  double delay = 0;     // s after the first shot of its moment
  int shutter_thirds = 0, iso_thirds = 0, aperture_thirds = 0;  // exact: 2^(k/3), f-number 2^(k/6)
  double flicker = 1;                                           // factor on the light
  Uneven uneven;                                                // and what is not one factor
  // Where the frame lies on the scene: px, and radians clockwise about its middle.
  double wobble_x = 0, wobble_y = 0, turn = 0;
  Fault fault = Fault::none;
  std::uint32_t fault_seed = 0;          // where and how much
  bool late_step = false, bump = false;  // bump: the tripod stands elsewhere from this frame on
  double error = 0;                      // stops by which the setting is not what it stands for

  bool ruined() const { return fault != Fault::none && fault != Fault::aperture; }

  double true_gain() const {
    return (shutter_thirds + iso_thirds - aperture_thirds) / 3.0 + uneven.slip + error;
  }
  double nominal_shutter() const;   // s
  double nominal_aperture() const;  // f-number
  double nominal_iso() const;
};

// What the photographer sets out to do and what goes wrong, from the meter's view of the evening:
// light(progress) in stops.
std::vector<Shot> plan_shots(const CameraOptions& options, const std::vector<double>& light);

// Spreads options.faults over shots that nothing else happens to, four frames apart at least.
void plan_faults(const CameraOptions& options, Size size, std::vector<Shot>& shots);

// The scene as the sensor sees it when something came between: light that was added, a thing before
// the lens, lost focus. `sensitivity` is the multiple of clipping that scene light 1 reaches.
Image with_fault(const Image& scene, const Shot& shot, double sensitivity);

// Of a scene that is larger than the frame the part that the sensor sees; nothing is repeated at
// the borders then.
Image part_seen(const Image& scene, const Shot& shot, Size frame);
// How much larger on every side the scene must be for these shots; 0 for the usual wobble.
int margin_of(const CameraOptions& options, const std::vector<Shot>& shots, Size frame);

// The scene through the lens, as it falls on the sensor.
Image through_lens(const Image& scene);

constexpr int kBlack = 512, kWhite = 16383;
const CameraColour& camera_colour();  // matrices; neutral for the fixed daylight setting

struct Mosaic {
  int width = 0, height = 0;
  std::vector<std::uint16_t> data;  // RGGB, 14 bit
};

// A grain of dust in a picture of this size: light is multiplied by 1 - depth p(d / radius), where
// p falls as its profile says: exp(-q^2); flat at the bottom, exp(-q^6); soft, a cone. At f/5.6; a
// smaller aperture makes it smaller and deeper, as a cone of light does.
enum class Profile { round, flat, soft };
constexpr Words<Profile> kProfiles{
    {{Profile::round, "round"}, {Profile::flat, "flat"}, {Profile::soft, "soft"}}};
struct Dust {
  double x = 0, y = 0, radius = 0, depth = 0;  // px
  Profile profile = Profile::round;
  Dust at(const Shot& shot) const;
};
std::vector<Dust> dust_of(const CameraOptions& options, Size size);

// Exposes linear sRGB scene light.
Mosaic expose(const Image& scene, const Shot& shot, const CameraOptions& options);

}  // namespace tsukimi::sim
