// SPDX-License-Identifier: GPL-3.0-or-later
// Colour maths: matrices, white points, adaptation, transfer functions.
//
// XYZ is CIE 1931, Y = 1 for a perfect white. Linear RGB is ITU-R BT.2020 (the working space) or
// sRGB (IEC 61966-2-1) primaries, both with a D65 white.
// Sources: DNG specification 1.4 chapter 6 (colour model, Bradford adaptation); Krystek 1985 and
// CIE daylight locus for temperature to chromaticity.
#pragma once

#include <array>

namespace tsukimi {

using Vec3 = std::array<double, 3>;

struct Mat3 {
  std::array<double, 9> m{1, 0, 0, 0, 1, 0, 0, 0, 1};  // row-major
  double operator()(int r, int c) const { return m[r * 3 + c]; }
  double& operator()(int r, int c) { return m[r * 3 + c]; }
  bool operator==(const Mat3&) const = default;
};

Mat3 operator*(const Mat3& a, const Mat3& b);
Vec3 operator*(const Mat3& a, const Vec3& v);
Mat3 inverse(const Mat3& a);  // a must be regular
Mat3 diagonal(const Vec3& v);
Mat3 mix(const Mat3& a, const Mat3& b, double weight_b);

struct Chromaticity {
  double x = 0.31271, y = 0.32902;  // D65
};

Vec3 to_xyz(Chromaticity c);  // Y = 1
Chromaticity to_chromaticity(const Vec3& xyz);

// Light of a temperature (2000 to 25000 K) and tint: the Planckian locus below 4000 K, the daylight
// locus above 5000 K, blended between. Tint moves across the locus in CIE 1960 uv, 1 unit = 1/3000;
// positive tint is a greener light, so it makes the picture more magenta.
Chromaticity light_chromaticity(double kelvin, double tint);

struct TemperatureTint {
  double kelvin, tint;
};
// The inverse, by search; clamped to 2000..25000 K.
TemperatureTint temperature_of(Chromaticity c);

Mat3 bradford(Chromaticity from, Chromaticity to);

// Linear RGB of these primaries to XYZ; (1, 1, 1) is the white.
Mat3 primaries_to_xyz(Chromaticity r, Chromaticity g, Chromaticity b, Chromaticity white);

const Mat3& rec2020_to_xyz();
const Mat3& xyz_to_rec2020();
const Mat3& rec2020_to_srgb();
const Mat3& srgb_to_rec2020();

// sRGB transfer function and its inverse, for any sign (odd symmetry).
float srgb_encode(float linear);
float srgb_decode(float encoded);

// Luminance of linear Rec. 2020.
constexpr float kLumaR = 0.2627f, kLumaG = 0.6780f, kLumaB = 0.0593f;

}  // namespace tsukimi
