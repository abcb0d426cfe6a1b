// SPDX-License-Identifier: GPL-3.0-or-later
// The course of one value through its key frames.
//
// Piecewise cubic with the slopes of Fritsch & Carlson, "Monotone piecewise cubic interpolation",
// SIAM J. Numer. Anal. 17(2), 1980: passes exactly through every key, never overshoots, constant
// outside. How it passes a key can be chosen for each.
//
//   MonotoneCurve exposure({0, 60, 179}, {0.0, 0.4, 1.2});
//   double at_90 = exposure.at(90);
#pragma once

#include <vector>

#include "base/table.h"

namespace tsukimi {

// smooth: no corner. straight: evenly to and from its neighbours. eased: comes to rest there.
// hold: stays as it is until the next key.
enum class Easing { smooth, straight, eased, hold };
constexpr Words<Easing> kEasings{{{Easing::smooth, "smooth"},
                                  {Easing::straight, "straight"},
                                  {Easing::eased, "eased"},
                                  {Easing::hold, "hold"}}};

class MonotoneCurve {
 public:
  MonotoneCurve() = default;
  // xs strictly ascending, same length as ys, at least one point; easing of each, none: smooth.
  MonotoneCurve(std::vector<double> xs, std::vector<double> ys, std::vector<Easing> easing = {});
  double at(double x) const;

 private:
  std::vector<double> xs_, ys_;
  std::vector<double> arriving_, leaving_;  // slopes on both sides of each key
  std::vector<bool> held_;                  // from this key to the next
};

}  // namespace tsukimi
