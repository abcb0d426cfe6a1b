#include "develop/parameters.h"

namespace tsukimi {
namespace {

constexpr std::array<ParameterInfo, kParamCount> kTable{{
    {Param::exposure, "exposure", "Exposure", "EV", -5, 5, 0, 0.05, 2, Scale::linear, "Light",
     "Brightness in stops, in linear light: +1 doubles it."},
    {Param::contrast, "contrast", "Contrast", "", -100, 100, 0, 1, 0, Scale::linear, "Light",
     "Steeper or flatter round middle grey; black and white stay."},
    {Param::temperature, "temperature", "Temperature", "K", 2000, 15000, 5500, 50, 0, Scale::mired,
     "White balance",
     "The light that is shown as neutral. Higher is a bluer light, so the picture gets warmer."},
    {Param::tint, "tint", "Tint", "", -100, 100, 0, 1, 0, Scale::linear, "White balance",
     "Across the temperature: positive takes out green, negative takes out magenta."},
    {Param::saturation, "saturation", "Saturation", "", -100, 100, 0, 1, 0, Scale::linear, "Colour",
     "All colours alike; -100 is grey."},
}};

}  // namespace

std::span<const ParameterInfo, kParamCount> parameter_table() { return kTable; }

const ParameterInfo& info(Param p) { return kTable[static_cast<int>(p)]; }

std::optional<Param> find_parameter(std::string_view name) {
  for (const auto& row : kTable)
    if (row.name == name) return row.id;
  return {};
}

Look neutral_look(double kelvin, double tint) {
  Look look;
  for (const auto& row : kTable) look[row.id] = row.preset;
  look[Param::temperature] = kelvin;
  look[Param::tint] = tint;
  return look;
}

double to_scale(Scale scale, double v) { return scale == Scale::mired ? 1e6 / v : v; }
double from_scale(Scale scale, double v) { return scale == Scale::mired ? 1e6 / v : v; }

}  // namespace tsukimi
