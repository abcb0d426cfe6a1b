// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/propose.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

// Luminance of the picture, ascending.
std::vector<float> lights(const Proxy& proxy, const Look& look, double correction) {
  PictureRecipe s;
  s.look = look;
  s.light.stops = correction;
  const Image image = develop_proxy(proxy, s);
  std::vector<float> v(image.planes[0].data.size());
  for (std::size_t i = 0; i < v.size(); ++i)
    v[i] = kLumaR * image.planes[0].data[i] + kLumaG * image.planes[1].data[i] +
           kLumaB * image.planes[2].data[i];
  std::sort(v.begin(), v.end());
  return v;
}

double quantile(const std::vector<float>& v, double q) {
  return v[static_cast<std::size_t>(q * static_cast<double>(v.size() - 1))];
}

double rounded(double v, double step) { return std::round(v / step) * step; }

}  // namespace

Look propose_look(const Proxy& proxy, const Look& given, double correction) {
  const double kelvin = given[Param::temperature], tint = given[Param::tint];
  Look bare = neutral_look(kelvin, tint);
  const auto before = lights(proxy, bare, correction);
  Look look = given;
  const double middle = std::log2(std::max(quantile(before, 0.5), 1e-4));
  look[Param::exposure] = rounded(std::clamp((std::log2(0.18) - middle) * 2 / 3, -2.0, 2.0), 0.05);
  bare[Param::exposure] = look[Param::exposure];
  auto lit = lights(proxy, bare, correction);
  // Stops by which the ends of the range lie outside.
  const double above = std::log2(std::max(quantile(lit, 0.99), 1e-3) / 0.8),
               below = std::log2(0.012 / std::max(quantile(lit, 0.05), 1e-5));
  look[Param::highlights] = rounded(std::clamp(-30 * above, -60.0, 0.0), 1);
  look[Param::shadows] = rounded(std::clamp(18 * below, 0.0, 45.0), 1);
  bare[Param::highlights] = look[Param::highlights];
  bare[Param::shadows] = look[Param::shadows];
  lit = lights(proxy, bare, correction);
  // points_at() of develop/points.h, solved for the two ends.
  const double top = std::sqrt(std::max(quantile(lit, 0.997), 1e-4)),
               bottom = std::sqrt(std::max(quantile(lit, 0.005), 0.0));
  look[Param::white_point] = rounded(std::clamp(-2 * std::log2(top) / 1.35 * 100, -40.0, 60.0), 1);
  look[Param::black_point] = rounded(std::clamp(-bottom / 0.12 * 80, -60.0, 0.0), 1);
  look[Param::contrast] = 12;
  look[Param::muted_colours] = 15;
  return look;
}

}  // namespace tsukimi
