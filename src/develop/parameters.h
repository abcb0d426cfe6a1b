// The one table of keyframed adjustments. The document, the command line and the drawers all read
// it: a new adjustment is a row here, an operation file beside it, and a test.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <string_view>

namespace tsukimi {

enum class Param { exposure, contrast, temperature, tint, saturation, count };
constexpr int kParamCount = static_cast<int>(Param::count);

// The scale on which a value runs evenly from key frame to key frame.
enum class Scale { linear, mired };

struct ParameterInfo {
  Param id;
  const char* name;   // in files and on the command line
  const char* label;  // on screen
  const char* unit;
  double min, max, preset;  // preset of temperature and tint is replaced by the camera's as shot
  double step;              // one click of the wheel
  int decimals;
  Scale scale;
  const char* group;  // heading in the drawer
  const char* tip;
};

std::span<const ParameterInfo, kParamCount> parameter_table();
const ParameterInfo& info(Param p);
std::optional<Param> find_parameter(std::string_view name);

// All develop settings of a moment, in the units of the table.
struct Look {
  std::array<double, kParamCount> values{};
  double& operator[](Param p) { return values[static_cast<int>(p)]; }
  double operator[](Param p) const { return values[static_cast<int>(p)]; }
  bool operator==(const Look&) const = default;
};

// The look that changes nothing, at the white balance given.
Look neutral_look(double kelvin, double tint);

// To and from the scale of interpolation.
double to_scale(Scale scale, double value);
double from_scale(Scale scale, double value);

}  // namespace tsukimi
