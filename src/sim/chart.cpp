// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/chart.h"

#include <algorithm>
#include <cmath>

#include "sim/noise.h"

namespace tsukimi::sim {
namespace {

constexpr int kColumns = 6, kRows = 4;

Vec3 camera_of(const Spectrum& reflectance, const Spectrum& light) {
  Vec3 out{0, 0, 0};
  for (int c = 0; c < 3; ++c)
    for (int i = 0; i < kBands; ++i)
      out[c] += sensor_sensitivities()[c][i] * light[i] * reflectance[i];
  return out;
}

Spectrum white() {
  Spectrum s;
  s.fill(1);
  return s;
}

// Smooth surfaces of all colours: sums of a few broad humps.
Spectrum random_surface(int number) {
  auto random = [&](int what) { return static_cast<double>(unit_hash(number, what, 4711)); };
  Spectrum s;
  for (int i = 0; i < kBands; ++i) {
    const double nm = kFirstNanometre + kStep * i;
    double v = 0.03 + 0.25 * random(0) * random(1);
    for (int k = 0; k < 3; ++k) {
      const double at = 360 + 400 * random(3 * k + 2), width = 30 + 90 * random(3 * k + 3);
      v += 0.7 * random(3 * k + 4) * std::exp(-0.5 * std::pow((nm - at) / width, 2));
    }
    s[i] = std::min(v, 0.95);
  }
  return s;
}

// XYZ to camera RGB under one light. Fitted the other way round, balanced camera RGB to XYZ, so
// that white is met exactly and the rest in the least squares of what is seen, relative to
// lightness.
Mat3 fit(const Spectrum& light) {
  constexpr int kSurfaces = 400;
  const Vec3 camera_white = camera_of(white(), light), xyz_white = xyz_of(white(), light);
  Mat3 to_xyz;
  for (int row = 0; row < 3; ++row) {
    // xyz = white + p (r - b) + q (g - b) with the third weight bound by white: two unknowns.
    double rr = 0, rg = 0, gg = 0, ry = 0, gy = 0;
    for (int i = 0; i < kSurfaces; ++i) {
      const Spectrum s = random_surface(i);
      Vec3 c = camera_of(s, light);
      for (int k = 0; k < 3; ++k) c[k] /= camera_white[k];
      const Vec3 xyz = xyz_of(s, light);
      const double weight = std::pow(0.02 + xyz[1], -4.0 / 3), r = c[0] - c[2], g = c[1] - c[2],
                   y = xyz[row] - xyz_white[row] * c[2];
      rr += weight * r * r, rg += weight * r * g, gg += weight * g * g;
      ry += weight * r * y, gy += weight * g * y;
    }
    const double d = rr * gg - rg * rg;
    to_xyz(row, 0) = (ry * gg - gy * rg) / d;
    to_xyz(row, 1) = (gy * rr - ry * rg) / d;
    to_xyz(row, 2) = xyz_white[row] - to_xyz(row, 0) - to_xyz(row, 1);
  }
  const double most = *std::max_element(camera_white.begin(), camera_white.end());
  Vec3 back;
  for (int k = 0; k < 3; ++k) back[k] = camera_white[k] / most;
  return diagonal(back) * inverse(to_xyz);
}

}  // namespace

const std::array<Spectrum, 3>& sensor_sensitivities() {
  static const std::array<Spectrum, 3> sensitivities = [] {
    auto hump = [](double nm, double at, double below, double above) {
      const double width = nm < at ? below : above;
      return std::exp(-0.5 * std::pow((nm - at) / width, 2));
    };
    std::array<Spectrum, 3> s;
    for (int i = 0; i < kBands; ++i) {
      const double nm = kFirstNanometre + kStep * i;
      s[0][i] = 0.80 * hump(nm, 600, 26, 40) + 0.035 * hump(nm, 445, 25, 30) +
                0.05 * hump(nm, 540, 30, 30);
      s[1][i] = 1.00 * hump(nm, 532, 36, 42) + 0.02 * hump(nm, 440, 30, 30);
      s[2][i] = 0.90 * hump(nm, 455, 24, 32) + 0.02 * hump(nm, 540, 40, 40);
    }
    return s;
  }();
  return sensitivities;
}

CameraColour fitted_colour(const Spectrum& light) {
  static const Mat3 warm = fit(planckian(2856)), cold = fit(daylight(6504));
  CameraColour out{warm, cold, 2856, 6504, camera_of(white(), light)};
  const double most = *std::max_element(out.neutral.begin(), out.neutral.end());
  for (double& v : out.neutral) v /= most;
  return out;
}

Size chart_size() {
  return {kColumns * kPatch + (kColumns + 1) * kPatchGap, kRows * kPatch + (kRows + 1) * kPatchGap};
}

PatchPlace patch_place(int patch) {
  constexpr int kCell = kPatch + kPatchGap;
  return {patch % kColumns * kCell + kPatchGap + kPatch / 2,
          patch / kColumns * kCell + kPatchGap + kPatch / 2};
}

std::array<double, 24> chart_differences(const Image& picture, const Spectrum& light) {
  const Vec3 light_white = xyz_of(white(), light), d65 = to_xyz(Chromaticity{});
  const Mat3 adapt = bradford(to_chromaticity(light_white), Chromaticity{});
  auto seen = [&](int patch) {
    const auto at = patch_place(patch);
    constexpr int kReach = kPatch / 4;
    Vec3 rgb{0, 0, 0};
    for (int c = 0; c < 3; ++c)
      for (int y = at.y - kReach; y < at.y + kReach; ++y)
        for (int x = at.x - kReach; x < at.x + kReach; ++x)
          rgb[c] += picture.planes[c].at(x, y) / (4.0 * kReach * kReach);
    return rec2020_to_xyz() * rgb;
  };
  auto truth = [&](int patch) { return adapt * xyz_of(chart_reflectances()[patch], light); };
  const double level = truth(21)[1] / seen(21)[1];
  std::array<double, 24> out;
  for (int i = 0; i < 24; ++i) {
    Vec3 xyz = seen(i);
    for (double& v : xyz) v *= level;
    out[i] = ciede2000(lab_of(truth(i), d65), lab_of(xyz, d65));
  }
  return out;
}

Mosaic shoot_chart(const Spectrum& light) {
  const Vec3 most = camera_of(white(), light);
  const double gain = 0.75 / *std::max_element(most.begin(), most.end());
  const Size size = chart_size();
  const Spectrum& ground = chart_reflectances()[21];
  Mosaic out{size.width, size.height, {}};
  out.data.resize(static_cast<std::size_t>(size.width) * size.height);
  auto paint = [&](int x0, int y0, int x1, int y1, const Spectrum& surface) {
    const Vec3 c = camera_of(surface, light);
    for (int y = y0; y < y1; ++y)
      for (int x = x0; x < x1; ++x)
        out.data[static_cast<std::size_t>(y) * size.width + x] = static_cast<std::uint16_t>(
            std::lround(kBlack + gain * c[(y & 1) + (x & 1)] * (kWhite - kBlack)));
  };
  paint(0, 0, size.width, size.height, ground);
  for (int i = 0; i < kColumns * kRows; ++i) {
    const auto at = patch_place(i);
    paint(at.x - kPatch / 2, at.y - kPatch / 2, at.x + kPatch / 2, at.y + kPatch / 2,
          chart_reflectances()[i]);
  }
  return out;
}

}  // namespace tsukimi::sim
