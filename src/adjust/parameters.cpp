// SPDX-License-Identifier: GPL-3.0-or-later
#include "adjust/parameters.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <list>
#include <string>

namespace tsukimi {
namespace {

using Table = std::array<ParameterInfo, kParamCount>;

constexpr auto kLinear = Scale::linear, kAngle = Scale::angle;

// How much light there was, its colour and the air between; tones from dark to bright; colours;
// then what is fine, and what the lens did.
constexpr DrawerPlace kLight{"Light", "Light"}, kAir{"", "Air"}, kTones{"Tones", "Tones"},
    kCurve{"Tones", "Tone curve"}, kColours{"Colours", "Colours"}, kSplit{"Colours", "Split tone"},
    kRing{"Colours", "Hue ring"}, kRingHue{"", "Hue ring"}, kDetail{"Detail", "Detail"},
    kLens{"Lens", "Lens"};
constexpr const char* kPages[] = {"Light", "Tones", "Colours", "Detail", "Lens"};
constexpr const char* kPlacePages[] = {"Light", "Tones", "Colours", "Detail"};
constexpr DrawerPlace kStrength{"", "Strength"}, kShape{"", "Shape"}, kCrop{"", "Crop"},
    kTime{"", "Time"}, kSky{"", "Sky"};

// An amount without a natural unit: -100 to 100.
constexpr ParameterInfo amount(Param p, const char* name, const char* label, DrawerPlace place,
                               const char* tip, double min = -100, double preset = 0) {
  return {p, name, label, "", min, 100, preset, 1, 0, kLinear, place, tip};
}

// Of the upright frame's width or height; a shape may reach beyond the frame.
constexpr ParameterInfo part(Param p, const char* name, const char* label, double preset) {
  return {p,      name,  label, "",      -2,     3,
          preset, 0.005, 3,     kLinear, kShape, "In fractions of the frame."};
}
constexpr ParameterInfo radius(Param p, const char* name, const char* label, double preset) {
  return {p,      name,  label, "",      0.001,  3,
          preset, 0.005, 3,     kLinear, kShape, "In widths of the frame."};
}

constexpr ParameterInfo kPlain[] = {
    {Param::exposure, "exposure", "Exposure", "EV", -5, 5, 0, 0.05, 2, kLinear, kLight,
     "Brightness in stops, in linear light: +1 doubles it."},
    {Param::temperature, "temperature", "Temperature", "K", 2000, 15000, 5500, 50, 0, Scale::mired,
     kLight,
     "The light that is shown as neutral. Higher is a bluer light, so the picture gets warmer."},
    amount(Param::tint, "tint", "Tint", kLight,
           "Across the temperature: positive takes out green, negative takes out magenta."),
    amount(Param::haze, "haze", "Clear air", kLight,
           "Positive clears haze away, more where the air is thicker; negative adds it."),
    {Param::airlight_red, "airlight_red", "Airlight red", "", 0.001, 4, 0.8, 0.01, 3, kLinear, kAir,
     "The colour of the haze in linear light, measured when haze is first set."},
    {Param::airlight_green, "airlight_green", "Airlight green", "", 0.001, 4, 0.8, 0.01, 3, kLinear,
     kAir, "The colour of the haze in linear light, measured when haze is first set."},
    {Param::airlight_blue, "airlight_blue", "Airlight blue", "", 0.001, 4, 0.8, 0.01, 3, kLinear,
     kAir, "The colour of the haze in linear light, measured when haze is first set."},
    amount(
        Param::range, "range", "Range", kTones,
        "Brings a scene of more stops than a picture shows into it: bright and dark come nearer to "
        "middle grey, their detail stays.",
        0),
    amount(Param::black_point, "black_point", "Black point", kTones,
           "Where light becomes black: negative makes more of it black."),
    amount(Param::shadows, "shadows", "Shadows", kTones,
           "The dark parts, their detail kept: positive opens them."),
    amount(Param::contrast, "contrast", "Contrast", kTones,
           "Steeper or flatter round middle grey; black and white stay."),
    amount(Param::highlights, "highlights", "Highlights", kTones,
           "The bright parts, their detail kept: negative brings back a bright sky."),
    amount(Param::white_point, "white_point", "White point", kTones,
           "Where light becomes white: positive makes more of it white."),
    amount(Param::saturation, "saturation", "Saturation", kColours,
           "All colours alike; -100 is grey."),
    amount(Param::muted_colours, "muted_colours", "Muted colours", kColours,
           "Pale colours gain more than vivid ones; skin is spared."),
    {Param::shadow_hue, "shadow_hue", "Shadow hue", "°", 0, 360, 260, 1, 0, kAngle, kSplit,
     "Hue that the shadows lean to."},
    amount(Param::shadow_strength, "shadow_strength", "Shadow strength", kSplit,
           "How far the shadows lean to it.", 0),
    {Param::highlight_hue, "highlight_hue", "Highlight hue", "°", 0, 360, 80, 1, 0, kAngle, kSplit,
     "Hue that the highlights lean to."},
    amount(Param::highlight_strength, "highlight_strength", "Highlight strength", kSplit,
           "How far the highlights lean to it.", 0),
    amount(Param::split_balance, "split_balance", "Balance", kSplit,
           "Where shadows end and highlights begin: positive gives more to the highlights."),
    amount(Param::local_contrast, "local_contrast", "Local contrast", kDetail,
           "Structure against its surroundings, without touching light as a whole."),
    amount(Param::sharpness, "sharpness", "Sharpness", kDetail, "Contrast at edges.", 0),
    {Param::sharpness_radius, "sharpness_radius", "Width", "px", 0.4, 3, 0.8, 0.05, 2, kLinear,
     kDetail, "How wide an edge is taken to be, in pixels of the finished picture."},
    amount(Param::sharpness_masking, "sharpness_masking", "Spare smooth areas", kDetail,
           "Sky and fog are not sharpened: higher spares more.", 0, 20),
    amount(Param::noise, "noise", "Remove noise", kDetail,
           "Smooths grain in brightness; 50 is what the sensor is expected to make.", 0),
    amount(Param::colour_noise, "colour_noise", "Remove colour noise", kDetail,
           "Smooths blotches of colour; 50 is what the sensor is expected to make.", 0),
    amount(Param::hot_pixels, "hot_pixels", "Remove hot pixels", kDetail,
           "Mends pixels that glow in every frame; higher takes fainter ones too.", 0),
    amount(Param::lens_profile, "lens_profile", "Lens profile", kLens,
           "How much of the correction that is known for this lens is applied, in per cent.", 0),
    amount(Param::distortion, "distortion", "Distortion", kLens,
           "Positive straightens lines that bow outwards, negative those that bow inwards."),
    amount(Param::lens_vignetting, "lens_vignetting", "Lens vignetting", kLens,
           "Brightens (or darkens) the corners that the lens left dark."),
    amount(Param::lateral_red, "lateral_red", "Lateral red", kLens,
           "Size of the red picture against the green one: red and cyan fringes."),
    amount(Param::lateral_blue, "lateral_blue", "Lateral blue", kLens,
           "Size of the blue picture against the green one: blue and yellow fringes."),
    amount(Param::vignette, "vignette", "Vignette", kLens,
           "Darkens (negative) or brightens the edges of the finished picture."),
    amount(Param::vignette_size, "vignette_size", "Vignette size", kLens,
           "How much of the middle stays as it is.", 0, 50),

    {Param::place_exposure, "exposure", "Exposure", "EV", -5, 5, 0, 0.05, 2, kLinear, kLight,
     "Brightness of the place in stops, in linear light."},
    {Param::place_temperature, "temperature", "Temperature", "K", -5000, 5000, 0, 50, 0, kLinear,
     kLight, "Warmer or cooler than the look there, in kelvins added to its temperature."},
    amount(Param::place_tint, "tint", "Tint", kLight,
           "More magenta (positive) or greener than the look there."),
    amount(Param::place_haze, "haze", "Clear air", kLight,
           "Clears haze away there, or adds it; the air is the look's."),
    amount(Param::place_black_point, "black_point", "Black point", kTones,
           "Where light becomes black there: negative makes more of it black."),
    amount(Param::place_shadows, "shadows", "Shadows", kTones,
           "The dark parts of the place, their detail kept: positive opens them."),
    amount(Param::place_contrast, "contrast", "Contrast", kTones,
           "Steeper or flatter round middle grey there."),
    amount(Param::place_highlights, "highlights", "Highlights", kTones,
           "The bright parts of the place, their detail kept: negative holds them down."),
    amount(Param::place_white_point, "white_point", "White point", kTones,
           "Where light becomes white there: positive makes more of it white."),
    amount(Param::place_saturation, "saturation", "Saturation", kColours,
           "All colours of the place alike; -100 is grey."),
    amount(Param::place_muted_colours, "muted_colours", "Muted colours", kColours,
           "Pale colours of the place gain more than vivid ones; skin is spared."),
    {Param::place_hue, "hue", "Hue", "°", -60, 60, 0, 1, 0, kLinear, kColours,
     "Turns all hues of the place."},
    amount(Param::place_local_contrast, "local_contrast", "Local contrast", kDetail,
           "Structure against its surroundings there."),
    amount(Param::place_sharpness, "sharpness", "Sharpness", kDetail,
           "More or less than the look's, with the look's width."),
    amount(Param::place_noise, "noise", "Remove noise", kDetail,
           "Smooths grain and blotches of colour there, beside what the look does.", 0),
    amount(Param::place_strength, "strength", "Strength", kStrength,
           "How much of all that the place does is applied, in per cent.", 0, 100),

    part(Param::from_x, "from_x", "From, across", 0.5),
    part(Param::from_y, "from_y", "From, down", 0.1),
    part(Param::to_x, "to_x", "To, across", 0.5),
    part(Param::to_y, "to_y", "To, down", 0.5),

    part(Param::centre_x, "centre_x", "Centre, across", 0.5),
    part(Param::centre_y, "centre_y", "Centre, down", 0.5),
    radius(Param::radius_x, "radius_x", "Radius, across", 0.2),
    radius(Param::radius_y, "radius_y", "Radius, down", 0.12),
    {Param::ellipse_angle, "angle", "Angle", "°", 0, 360, 0, 1, 0, kAngle, kShape,
     "How far the ellipse is turned, clockwise."},
    amount(Param::ellipse_feather, "feather", "Feather", kShape,
           "The share of the radius over which it fades.", 0, 50),

    part(Param::spot_x, "x", "Middle, across", 0.5),
    part(Param::spot_y, "y", "Middle, down", 0.5),
    radius(Param::spot_radius, "radius", "Radius", 0.01),
    part(Param::spot_from_x, "from_x", "From, across", 0.5),
    part(Param::spot_from_y, "from_y", "From, down", 0.5),

    {Param::crop_x, "x", "Left", "", 0, 1, 0, 0.005, 3, kLinear, kCrop,
     "Where the crop begins, in fractions of the frame's width."},
    {Param::crop_y, "y", "Top", "", 0, 1, 0, 0.005, 3, kLinear, kCrop,
     "Where the crop begins, in fractions of the frame's height."},
    {Param::crop_w, "w", "Width", "", 0.02, 1, 1, 0.005, 3, Scale::log, kCrop,
     "How wide the crop is, in fractions of the frame's width; its height follows."},
    {Param::crop_angle, "angle", "Turn", "°", -45, 45, 0, 0.1, 2, kLinear, kCrop,
     "How far the crop is turned about its middle, clockwise."},

    {Param::speed, "speed", "Speed", "×", 0.05, 20, 1, 0.05, 2, Scale::log, kTime,
     "How many frames of the sequence pass in a frame of the film."},

    amount(Param::star_hold, "hold", "Hold", kSky,
           "0: the land stands and the sky turns; 100: the stars stand and the land turns below.",
           0, 100),

    {Param::trail_length, "length", "Length", "", 0, 1000, 40, 1, 0, kLinear, kSky,
     "How far back a trail reaches, in frames of the film or in minutes; 0: points."},
    {Param::trail_fade, "fade", "Fade", "EV", 0.5, 12, 4, 0.1, 1, kLinear, kSky,
     "By how many stops a trail is darker at its end."},
};

// Of the ring and the curves there is a row for every number, made below.
constexpr bool is_numbered(Param p) { return p >= Param::hue_ring && p < Param::place_exposure; }

consteval bool every_parameter_has_a_row() {
  for (int p = 0; p < kParamCount; ++p) {
    int rows = is_numbered(static_cast<Param>(p));
    for (const ParameterInfo& row : kPlain) rows += row.id == static_cast<Param>(p);
    if (rows != 1) return false;
  }
  return true;
}
static_assert(every_parameter_has_a_row(), "a parameter has one row in the table");

constexpr const Kind* kKinds[] = {&kLook,  &kPlace, &kGraduated, &kEllipse, &kSpot,
                                  &kGlide, &kPace,  &kStarHold,  &kTrails};

consteval bool every_parameter_is_of_a_kind() {
  int next = 0;
  for (const Kind* kind : kKinds) {
    if (static_cast<int>(kind->first) != next) return false;
    next += kind->count;
  }
  return next == kParamCount;
}
static_assert(every_parameter_is_of_a_kind(), "the kinds share out the table, in its order");

const char* keep(std::string text) {
  static std::list<std::string> kept;  // the table's words live as long as the program
  return kept.emplace_back(std::move(text)).c_str();
}

void add_ring(Table& table) {
  constexpr double kAt[kRingPoints] = {29, 90, 142, 200, 264, 328};
  for (int i = 0; i < kRingPoints; ++i) {
    const std::string name = "hue_ring_" + std::to_string(i + 1),
                      label = "Point " + std::to_string(i + 1);
    auto put = [&](RingNumber number, const char* suffix, const char* word, const char* unit,
                   double min, double max, double preset, Scale scale, const char* tip,
                   DrawerPlace place = kRing) {
      const Param p = ring_param(i, number);
      table[static_cast<int>(p)] = {
          p,  keep(name + suffix), keep(label + word), unit, min, max, preset, 1, 0, scale, place,
          tip};
    };
    put(RingNumber::at, "_at", ": at", "°", 0, 360, kAt[i], kAngle, "The hue that is moved.",
        kRingHue);
    put(RingNumber::hue, "_hue", ": hue", "°", -60, 60, 0, kLinear, "By how much it turns.");
    put(RingNumber::saturation, "_saturation", ": saturation", "", -100, 100, 0, kLinear,
        "More or less colour there.");
    put(RingNumber::lightness, "_lightness", ": lightness", "", -100, 100, 0, kLinear,
        "Lighter or darker there.");
  }
}

void add_curves(Table& table) {
  constexpr const char* kNames[kCurves] = {"tone_curve", "tone_curve_red", "tone_curve_green",
                                           "tone_curve_blue"};
  constexpr const char* kLabels[kCurves] = {"Curve", "Red curve", "Green curve", "Blue curve"};
  for (int c = 0; c < kCurves; ++c) {
    auto put = [&](int number, const std::string& suffix, const std::string& word, double preset) {
      const Param p = curve_param(c, number);
      table[static_cast<int>(p)] = {p,
                                    keep(kNames[c] + suffix),
                                    keep(kLabels[c] + word),
                                    "%",
                                    0,
                                    100,
                                    preset,
                                    1,
                                    1,
                                    kLinear,
                                    kCurve,
                                    "In per cent of the way from black to white as displayed."};
    };
    put(0, "_black", ": black", 0);
    for (int i = 0; i < kCurvePoints; ++i) {
      const std::string n = std::to_string(i + 1);
      put(1 + 2 * i, "_" + n + "_in", ": point " + n + " in", 25.0 * (i + 1));
      put(2 + 2 * i, "_" + n + "_out", ": point " + n + " out", 25.0 * (i + 1));
    }
    put(kCurveNumbers - 1, "_white", ": white", 100);
  }
}

const Table& table() {
  static const Table rows = [] {
    Table t{};
    for (const auto& row : kPlain) t[static_cast<int>(row.id)] = row;
    add_ring(t);
    add_curves(t);
    return t;
  }();
  return rows;
}

}  // namespace

std::span<const ParameterInfo, kParamCount> parameter_table() { return table(); }

std::span<const char* const> look_pages() { return kPages; }
std::span<const char* const> place_pages() { return kPlacePages; }

const ParameterInfo& info(Param p) { return table()[static_cast<int>(p)]; }

std::optional<Param> find_parameter(std::string_view name, const Kind& kind) {
  // As the window calls them, where that is another word.
  constexpr std::pair<std::string_view, std::string_view> kAliases[] = {
      {"clear_air", "haze"},
      {"sharpness_width", "sharpness_radius"},
      {"sharpness_spare", "sharpness_masking"},
      {"remove_noise", "noise"},
      {"remove_colour_noise", "colour_noise"},
      {"remove_hot_pixels", "hot_pixels"}};
  for (const auto& [alias, known] : kAliases)
    if (alias == name) name = known;
  for (const auto& row : kind.rows())
    if (row.name == name) return row.id;
  return {};
}

std::span<const ParameterInfo> Kind::rows() const {
  return parameter_table().subspan(static_cast<std::size_t>(first),
                                   static_cast<std::size_t>(count));
}

const Kind& kind_of(Param p) {
  for (const Kind* kind : kKinds)
    if (kind->has(p)) return *kind;
  return kLook;
}

Values presets(Kind kind) {
  Values out{kind};
  for (const auto& row : kind.rows()) out[row.id] = row.preset;
  return out;
}

Look neutral_look(double kelvin, double tint) {
  Look look = presets(kLook);
  look[Param::temperature] = kelvin;
  look[Param::tint] = tint;
  return look;
}

double clamped(Param p, double v) { return std::clamp(v, info(p).min, info(p).max); }

double to_scale(Scale scale, double v) {
  return scale == Scale::mired ? 1e6 / v : scale == Scale::log ? std::log2(v) : v;
}
double from_scale(Scale scale, double v) {
  if (scale == Scale::mired) return 1e6 / v;
  if (scale == Scale::log) return std::exp2(v);
  return scale == Scale::angle ? v - 360 * std::floor(v / 360) : v;
}

}  // namespace tsukimi
