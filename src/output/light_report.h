// SPDX-License-Identifier: GPL-3.0-or-later
// What became of a shoot's light, as one HTML file that needs nothing else: curves, every step,
// what was corrected and what is left, suspects, and pictures of the key frames.
#pragma once

#include <string>
#include <vector>

#include "film/light_plan.h"

namespace tsukimi {

struct ReportPicture {
  int frame = 0;
  std::vector<std::uint8_t> jpeg;
};

// measured: of the same frames as the plan.
std::string light_report(const Shoot& shoot, const Measured& measured, const LightPlan& plan,
                         const std::vector<ReportPicture>& pictures);

// The same numbers, a line per frame, with a heading: index from 0, file, what the camera was set
// to, stops as shot, levelled, developed, and the corrections. Empty where nothing is known.
std::string light_table(const Shoot& shoot, const LightPlan& plan);

}  // namespace tsukimi
