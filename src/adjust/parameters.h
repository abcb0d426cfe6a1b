// SPDX-License-Identifier: GPL-3.0-or-later
// The one table of keyframed adjustments. The document, the command line and the drawers all read
// it: a new adjustment is a row here, an operation file beside it, and a test.
//
// Adjustments of several numbers (the points of the tone curves, of the hue ring) are rows like
// others, one per number: so they are keyframed, saved and set from the command line like others.
#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>

namespace tsukimi {

constexpr int kRingPoints = 6;                       // movable points of the hue ring
constexpr int kRingNumbers = 4;                      // at, hue, saturation, lightness
constexpr int kCurves = 4;                           // master, red, green, blue
constexpr int kCurvePoints = 3;                      // movable points between black and white
constexpr int kCurveNumbers = 2 + 2 * kCurvePoints;  // black, (in, out) each, white

enum class Param {
  exposure,
  temperature,
  tint,
  haze,
  airlight_red,
  airlight_green,
  airlight_blue,
  range,
  black_point,
  shadows,
  contrast,
  highlights,
  white_point,
  saturation,
  muted_colours,
  shadow_hue,
  shadow_strength,
  highlight_hue,
  highlight_strength,
  split_balance,
  local_contrast,
  sharpness,
  sharpness_radius,
  sharpness_masking,
  noise,
  colour_noise,
  hot_pixels,
  lens_profile,
  distortion,
  lens_vignetting,
  lateral_red,
  lateral_blue,
  vignette,
  vignette_size,
  hue_ring,                                            // first of kRingPoints * kRingNumbers
  tone_curve = hue_ring + kRingPoints * kRingNumbers,  // first of kCurves * kCurveNumbers

  // Of a place; those that the look has too are added to it there.
  place_exposure = tone_curve + kCurves * kCurveNumbers,
  place_temperature,
  place_tint,
  place_haze,
  place_black_point,
  place_shadows,
  place_contrast,
  place_highlights,
  place_white_point,
  place_saturation,
  place_muted_colours,
  place_hue,
  place_local_contrast,
  place_sharpness,
  place_noise,
  place_strength,

  // Of a graduated shape: whole at the first line, nothing from the second on.
  from_x,
  from_y,
  to_x,
  to_y,

  // Of an ellipse.
  centre_x,
  centre_y,
  radius_x,
  radius_y,
  ellipse_angle,
  ellipse_feather,

  // Of a repaired spot: its middle, its size, and the middle of what covers it.
  spot_x,
  spot_y,
  spot_radius,
  spot_from_x,
  spot_from_y,

  // Of the crop on its way (a glide): its top left, its width, how far it is turned.
  crop_x,
  crop_y,
  crop_w,
  crop_angle,

  // Of the film's pace.
  speed,

  // Of the way from the ground, which stands, to the stars, which stand.
  star_hold,

  // Of star trails: how long one is, and how much darker at its end.
  trail_length,
  trail_fade,

  count
};
constexpr int kParamCount = static_cast<int>(Param::count);

enum class RingNumber { at, hue, saturation, lightness };
constexpr Param ring_param(int point, RingNumber number) {
  return static_cast<Param>(static_cast<int>(Param::hue_ring) + point * kRingNumbers +
                            static_cast<int>(number));
}
// number 0: black (out), 1 + 2 i: in of point i, 2 + 2 i: its out, last: white (out).
constexpr Param curve_param(int curve, int number) {
  return static_cast<Param>(static_cast<int>(Param::tone_curve) + curve * kCurveNumbers + number);
}

// The scale on which a value runs evenly from key frame to key frame.
enum class Scale { linear, mired, angle /* by the short way round */, log };

// Where a row stands in its drawer: on a page, in the order of the table ("": on none, it has
// a view of its own), and what belongs together there.
struct DrawerPlace {
  const char *page, *group;
};

struct ParameterInfo {
  Param id;
  const char* name;   // in files and on the command line; no two of a kind have the same
  const char* label;  // on screen
  const char* unit;
  double min, max, preset;  // preset of temperature and tint is replaced by the camera's as shot
  double step;              // one click of the wheel
  int decimals;
  Scale scale;
  DrawerPlace place;
  const char* tip;
  // Its operation makes something of its own in each frame of the film (as grain is): recipes that
  // use it say which frame they are for.
  bool of_each_frame = false;
};

std::span<const ParameterInfo, kParamCount> parameter_table();
std::span<const char* const> look_pages();   // in order
std::span<const char* const> place_pages();  // in order
const ParameterInfo& info(Param p);

// What one target (the look, a place, a shape …) is adjusted by: a span of the table.
struct Kind {
  const char* name;  // in files and on the command line
  Param first;
  int count;
  std::span<const ParameterInfo> rows() const;
  bool has(Param p) const { return index(p) >= 0 && index(p) < count; }
  int index(Param p) const { return static_cast<int>(p) - static_cast<int>(first); }
  bool operator==(const Kind& o) const { return first == o.first && count == o.count; }
};
constexpr Kind kLook{"look", Param{0}, static_cast<int>(Param::place_exposure)};
constexpr Kind kPlace{"place", Param::place_exposure,
                      static_cast<int>(Param::from_x) - static_cast<int>(Param::place_exposure)};
constexpr Kind kGraduated{"graduated", Param::from_x, 4};
constexpr Kind kEllipse{"ellipse", Param::centre_x, 6};
constexpr Kind kSpot{"spot", Param::spot_x, 5};
constexpr Kind kGlide{"glide", Param::crop_x, 4};
constexpr Kind kPace{"pace", Param::speed, 1};
constexpr Kind kStarHold{"stars", Param::star_hold, 1};
constexpr Kind kTrails{"trails", Param::trail_length, 2};
const Kind& kind_of(Param p);
// A row of a kind by its name, or by what the window calls it where that is another word.
std::optional<Param> find_parameter(std::string_view name, const Kind& kind = kLook);

// The values of a target at a moment, in the units of the table.
struct Values {
  Kind kind = kLook;
  std::vector<double> numbers = std::vector<double>(static_cast<std::size_t>(kind.count));
  double& operator[](Param p) { return numbers[static_cast<std::size_t>(kind.index(p))]; }
  double operator[](Param p) const { return numbers[static_cast<std::size_t>(kind.index(p))]; }
  bool operator==(const Values&) const = default;
};
Values presets(Kind kind);

// All develop settings of a moment.
using Look = Values;

// The look that changes nothing, at the white balance given.
Look neutral_look(double kelvin, double tint);

// To and from the scale of interpolation.
double to_scale(Scale scale, double value);
double from_scale(Scale scale, double value);

double clamped(Param p, double value);  // into the range of its row

}  // namespace tsukimi
