// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/uneven.h"

#include <cmath>
#include <numbers>

#include "base/banded.h"
#include "measure/cell_light.h"

namespace tsukimi {

float mean_in_cell(const GainField& field, int cell) {
  const double half = std::numbers::pi * field.wave.cycles /
                      (field.wave.across ? CellLight::kAcross : CellLight::kDown);
  const double of_wave = half > 0 ? std::sin(half) / half : 1;  // what the mean leaves of it
  return static_cast<float>(of_wave * field.stops_at(CellLight::x_of(cell), CellLight::y_of(cell)));
}

std::vector<double> fast_taken_out(const std::vector<double>& course,
                                   const std::vector<double>& axis, double period) {
  std::vector<double> known(course.size(), 0.0), weight(course.size(), 0.0);
  for (std::size_t f = 0; f < course.size(); ++f)
    if (!std::isnan(course[f])) known[f] = course[f], weight[f] = 1;
  std::vector<double> out = whittaker(known, weight, lambda_for_period(period), axis);
  for (std::size_t f = 0; f < out.size(); ++f) out[f] = weight[f] > 0 ? out[f] - known[f] : 0;
  return out;
}

}  // namespace tsukimi
