// SPDX-License-Identifier: GPL-3.0-or-later
// Whether what looks like a grain of dust in a map of the sensor is one.
#pragma once

#include <algorithm>
#include <cmath>

#include "find_repairs/dust_groups.h"

namespace tsukimi {

// A grain, as it is seen in one of the groups.
struct Found {
  ShadowFit fit;
  const DustGroup* seen;
};
constexpr double kSureOfDust = 9;  // doubts that a share of a shadow must be

// A part of a picture round a place, that a shadow of this radius can be fitted in.
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

// By its radius and depth alone.
bool could_be_dust(const DustStack& stack, const ShadowFit& fit);

// By what the tripod's movement tells through all apertures.
bool is_dust_by_movement(const DustStack& stack, const std::vector<DustGroup>& groups,
                         const Found& found);

// By the middle of some pictures: the frames themselves, or what passed in them. by_itself: by
// nothing but how it looks there.
bool is_dust_by_light(const DustStack& stack, const std::vector<DustGroup>& groups,
                      const Found& found, const Layered& of, const std::vector<int>& which,
                      bool by_itself);

// Dust has no colour: 1 where red and blue are as deep as green. given: the frames of the stack.
std::vector<char> are_grey(const DustStack& stack, const std::vector<DustFrame>& given,
                           const std::vector<Found>& found);

}  // namespace tsukimi
