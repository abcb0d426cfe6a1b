// SPDX-License-Identifier: GPL-3.0-or-later
// What tests of every adjustment share: a value that shows, and what has to stand beside it.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "adjust/parameters.h"

namespace tsukimi::test {

// Some mean nothing alone: a hue needs a strength, a radius something to sharpen.
inline std::vector<std::pair<Param, double>> beside(const ParameterInfo& row) {
  const std::string name = row.name;
  if (name.starts_with("airlight")) return {{Param::haze, 60}};
  if (row.id == Param::shadow_hue || row.id == Param::split_balance)
    return {{Param::shadow_strength, 80}};
  if (row.id == Param::highlight_hue) return {{Param::highlight_strength, 80}};
  if (row.id == Param::sharpness_radius || row.id == Param::sharpness_masking)
    return {{Param::sharpness, 80}};
  if (row.id == Param::vignette_size) return {{Param::vignette, -80}};
  if (name.ends_with("_at"))  // where on the ring: something has to change there
    return {{static_cast<Param>(static_cast<int>(row.id) + 2), -80}};  // its saturation
  return {};
}

// A good way from the preset, inside the range.
inline double shown_value(const ParameterInfo& row) {
  return row.preset + 0.6 * ((row.preset < row.max ? row.max : row.min) - row.preset);
}

}  // namespace tsukimi::test
