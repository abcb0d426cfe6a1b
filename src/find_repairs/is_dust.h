// SPDX-License-Identifier: GPL-3.0-or-later
// Whether what looks like a grain of dust in a map of the sensor is one.
#pragma once

#include <algorithm>
#include <cmath>

#include "find_repairs/dust_groups.h"

namespace tsukimi {

// What may be a grain of dust, and the group of frames (one aperture) in which it was found.
struct Found {
  ShadowFit fit;
  const DustGroup* seen;
};
// How many standard deviations the share of a shadow (dust_slopes.h) must be above 0 to count as
// dust: by chance that happens nowhere in a picture.
constexpr double kSureOfDust = 9;

// The part of a picture in which a shadow of this radius is fitted: as far round it as it reaches.
struct DustWindow {
  int x0, y0, w, h;
  DustWindow(const Layered& s, double x, double y, double radius) {
    const int reach = static_cast<int>(std::ceil(3.5 * radius + 5 * kShiftSmoothing)) + 3;
    x0 = std::max(0, static_cast<int>(x) - reach);
    y0 = std::max(0, static_cast<int>(y) - reach);
    w = std::min(s.width, static_cast<int>(x) + reach + 1) - x0;
    h = std::min(s.height, static_cast<int>(y) + reach + 1) - y0;
  }
};

// Whether its radius and depth are those that dust can have.
bool could_be_dust(const DustStack& stack, const ShadowFit& fit);

// Whether it stays on the sensor while the tripod moves, by the evidence of all apertures together.
bool is_dust_by_movement(const DustStack& stack, const std::vector<DustGroup>& groups,
                         const Found& found);

// Whether it is dark in the median of some pictures: of the frames, or of what passed in them. With
// by_itself there is no other evidence, so its surroundings must be even.
bool is_dust_by_light(const DustStack& stack, const std::vector<DustGroup>& groups,
                      const Found& found, const Layered& of, const std::vector<int>& which,
                      bool by_itself);

// 1 for each that is as deep in red and blue as in green, since dust has no colour. given: the
// frames of the stack.
std::vector<char> are_grey(const DustStack& stack, const std::vector<DustFrame>& given,
                           const std::vector<Found>& found);

}  // namespace tsukimi
