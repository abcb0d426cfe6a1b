// SPDX-License-Identifier: GPL-3.0-or-later
// Noise reduction, in brightness and in colour.
//
// The square root of light makes the sensor's noise even (Anscombe 1948); there the picture is
// split into brightness and two colour differences (all but their finest waves at half size) and
// shrunk in wavelets, wavelet.h. What noise to expect is a matter of
// ISO and of how much the picture was reduced, never of the frame itself.
#pragma once

#include "develop/local_amounts.h"

namespace tsukimi {

struct NoiseModel {
  double iso = 100;      // sensitivity the frame was taken at
  double gain = 1;       // factor on sensor light since: exposure, levelling, deflicker
  double reduction = 1;  // sensor pixels per picture pixel, along one side
};

// Linear Rec. 2020, in place. Nothing for 0. Places add to both amounts, pixel by pixel.
void reduce_noise(Image& image, double brightness, double colour, const NoiseModel& model,
                  const LocalAmounts& places);

}  // namespace tsukimi
