// SPDX-License-Identifier: GPL-3.0-or-later
// A colour checker chart before the simulated camera's sensor, wavelength by wavelength: what a
// developed picture's colours are measured against.
#pragma once

#include "sim/dng_writer.h"
#include "sim/spectra.h"

namespace tsukimi::sim {

// The sensor's sensitivities (made up, in the manner of published ones) and the two matrices that a
// maker would put into its files: fitted under illuminant A and D65 to smooth random reflectances,
// never to the chart. neutral: of a white under `light`.
const std::array<Spectrum, 3>& sensor_sensitivities();
CameraColour fitted_colour(const Spectrum& light);

// The chart under a light: 24 patches of kPatch pixels on a grey ground, no noise. White reaches
// three quarters of clipping.
constexpr int kPatch = 48, kPatchGap = 8;
Mosaic shoot_chart(const Spectrum& light);
Size chart_size();
struct PatchPlace {
  int x, y;  // of its middle
};
PatchPlace patch_place(int patch);

// CIEDE2000 of every patch of a developed picture of it (linear Rec. 2020), white adapted from the
// light to D65 (Bradford), lightness levelled on the grey patch 22.
std::array<double, 24> chart_differences(const Image& rec2020, const Spectrum& light);

}  // namespace tsukimi::sim
