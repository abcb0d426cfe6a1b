// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/light.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {

using std::numbers::pi;

double GainField::stops_at(double x, double y) const {
  // Each cosine from the two before it: cos (n+1)a = 2 cos a cos na - cos (n-1)a.
  const double cos_x = std::cos(pi * x), cos_y = std::cos(pi * y);
  double sum = 0, here_y = 1, before_y = cos_y;
  for (int j = 0; j < down; ++j) {
    double row = 0, here_x = 1, before_x = cos_x;
    for (int i = 0; i < across; ++i) {
      row += coefficients[static_cast<std::size_t>(j * across + i)] * here_x;
      const double next = 2 * cos_x * here_x - before_x;
      before_x = here_x, here_x = next;
    }
    sum += row * here_y;
    const double next = 2 * cos_y * here_y - before_y;
    before_y = here_y, here_y = next;
  }
  if (wave.cycles != 0) {
    const double angle = 2 * pi * wave.cycles * (wave.across ? x : y);
    sum += wave.sine * std::sin(angle) + wave.cosine * std::cos(angle);
  }
  return sum;
}

double GainField::cycles_across() const {
  return std::max(across > 0 ? (across - 1) / 2.0 : 0, wave.across ? wave.cycles : 0);
}

double GainField::cycles_down() const {
  return std::max(down > 0 ? (down - 1) / 2.0 : 0, wave.across ? 0 : wave.cycles);
}

double GainField::rms() const {
  double squares = (wave.sine * wave.sine + wave.cosine * wave.cosine) / 2;
  for (int j = 0; j < down; ++j)
    for (int i = 0; i < across; ++i) {
      const double c = coefficients[static_cast<std::size_t>(j * across + i)];
      squares += c * c * (i ? 0.5 : 1) * (j ? 0.5 : 1);
    }
  return std::sqrt(squares);
}

void GainField::add(const GainField& other, double amount) {
  if (coefficients.empty() && !other.coefficients.empty()) {
    across = other.across, down = other.down;
    coefficients.assign(other.coefficients.size(), 0.0);
  }
  for (std::size_t i = 0; i < other.coefficients.size(); ++i)
    coefficients[i] += amount * other.coefficients[i];
  if (other.wave.cycles == 0) return;
  wave.across = other.wave.across, wave.cycles = other.wave.cycles;
  wave.sine += amount * other.wave.sine;
  wave.cosine += amount * other.wave.cosine;
}

}  // namespace tsukimi
