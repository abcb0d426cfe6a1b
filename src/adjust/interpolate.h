// The course of one value through its key frames.
//
// Piecewise cubic with the slopes of Fritsch & Carlson, "Monotone piecewise cubic interpolation",
// SIAM J. Numer. Anal. 17(2), 1980: passes exactly through every key, never overshoots, constant
// outside.
//
//   MonotoneCurve exposure({0, 60, 179}, {0.0, 0.4, 1.2});
//   double at_90 = exposure.at(90);
#pragma once

#include <vector>

namespace tsukimi {

class MonotoneCurve {
 public:
  MonotoneCurve() = default;
  // xs strictly ascending, same length as ys, at least one point.
  MonotoneCurve(std::vector<double> xs, std::vector<double> ys);
  double at(double x) const;

 private:
  std::vector<double> xs_, ys_, slopes_;
};

}  // namespace tsukimi
