// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/camera_colour.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

Mat3 xyz_to_camera(const CameraColour& camera, double kelvin) {
  if (camera.kelvin1 == camera.kelvin2) return camera.matrix2;
  const double w = (1 / kelvin - 1 / camera.kelvin1) / (1 / camera.kelvin2 - 1 / camera.kelvin1);
  return mix(camera.matrix1, camera.matrix2, std::clamp(w, 0.0, 1.0));
}

TemperatureTint as_shot_temperature(const CameraColour& camera) {
  // The matrix depends on the white and the white on the matrix: iterate (DNG 1.4, chapter 6).
  constexpr double kDaylight = 5500, kSame = 0.01;  // K
  constexpr int kRounds = 30;
  TemperatureTint t{kDaylight, 0};
  for (int i = 0; i < kRounds; ++i) {
    const Vec3 xyz = inverse(xyz_to_camera(camera, t.kelvin)) * camera.neutral;
    const TemperatureTint next = temperature_of(to_chromaticity(xyz));
    const bool done = std::fabs(next.kelvin - t.kelvin) < kSame;
    t = next;
    if (done) break;
  }
  return t;
}

WhiteBalance white_balance(const CameraColour& camera, double kelvin, double tint) {
  const Chromaticity white = light_chromaticity(kelvin, tint);
  const Mat3 to_camera = xyz_to_camera(camera, kelvin);
  Vec3 neutral = to_camera * to_xyz(white);
  for (double& v : neutral) v = std::max(v, 1e-3);
  const Mat3 to_working =
      xyz_to_rec2020() * bradford(white, Chromaticity{}) * inverse(to_camera) * diagonal(neutral);
  WhiteBalance wb;
  for (int c = 0; c < 3; ++c) wb.gains[c] = static_cast<float>(neutral[1] / neutral[c]);
  wb.to_working = to_working;
  return wb;
}

}  // namespace tsukimi
