// SPDX-License-Identifier: GPL-3.0-or-later
// From a camera's own RGB to the working space: the DNG 1.4 colour model.
//
// A colour matrix takes XYZ to camera RGB under one light; between the two given lights the matrix
// is interpolated over inverse correlated colour temperature. The camera's response to the white of
// a chosen temperature and tint is the neutral that white balance divides by.
#pragma once

#include "image/colour.h"

namespace tsukimi {

struct CameraColour {
  Mat3 matrix1 = xyz_to_rec2020(), matrix2 = xyz_to_rec2020();  // XYZ to camera RGB
  double kelvin1 = 2856, kelvin2 = 6504;                        // light of each matrix
  Vec3 neutral{1, 1, 1};  // camera RGB of white as shot, largest component 1
  bool operator==(const CameraColour&) const = default;
};

Mat3 xyz_to_camera(const CameraColour& camera, double kelvin);

// The temperature and tint that the camera's own white balance stands for.
TemperatureTint as_shot_temperature(const CameraColour& camera);

// How one frame's camera RGB becomes linear Rec. 2020.
struct WhiteBalance {
  std::array<float, 3> gains;  // per channel; green is 1
  Mat3 to_working;             // balanced camera RGB to linear Rec. 2020; (1,1,1) stays (1,1,1)
};
WhiteBalance white_balance(const CameraColour& camera, double kelvin, double tint);

}  // namespace tsukimi
