// SPDX-License-Identifier: GPL-3.0-or-later
// Light, surfaces and the eye, wavelength by wavelength: what colours of a chart truly are.
#pragma once

#include <array>

#include "image/colour.h"

namespace tsukimi::sim {

constexpr int kFirstNanometre = 380, kStep = 10, kBands = 36;  // 380..730 nm
using Spectrum = std::array<double, kBands>;

// The colour matching functions of the CIE 1931 standard observer (CIE 15:2004).
const std::array<Spectrum, 3>& standard_observer();

// Relative power. Daylight of a correlated colour temperature by CIE 15:2004 (D50: 5003 K, D65:
// 6504 K); a Planckian radiator for illuminant A (2856 K).
Spectrum daylight(double kelvin);
Spectrum planckian(double kelvin);

// The 24 patches of the colour checker chart, row by row: mean reflectances of thirty charts
// (D. Pascale, "RGB coordinates of the Macbeth ColorChecker", 2006, and its tables).
const std::array<Spectrum, 24>& chart_reflectances();

// XYZ of a surface under a light; Y is 1 for a perfect white.
Vec3 xyz_of(const Spectrum& reflectance, const Spectrum& light);

// CIE L*a*b* against a white, and the difference CIEDE2000 of two of them (Sharma, Wu & Dalal
// 2005).
Vec3 lab_of(const Vec3& xyz, const Vec3& white);
double ciede2000(const Vec3& lab1, const Vec3& lab2);

}  // namespace tsukimi::sim
