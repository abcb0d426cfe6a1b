// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/tone_curve.h"

#include <algorithm>

namespace tsukimi {

ToneCurve::ToneCurve(const Look& look, int curve) : changes_(false) {
  for (int i = 0; i < kCurveNumbers; ++i) {
    const Param p = curve_param(curve, i);
    changes_ |= look[p] != info(p).preset;
  }
  auto value = [&](int i) { return look[curve_param(curve, i)] / 100; };
  black_ = value(0);
  white_ = value(kCurveNumbers - 1);
  std::vector<std::pair<double, double>> points{{0, black_}};
  for (int i = 0; i < kCurvePoints; ++i) points.emplace_back(value(1 + 2 * i), value(2 + 2 * i));
  std::sort(points.begin() + 1, points.end());
  points.emplace_back(1, white_);
  constexpr double kApart = 0.02;
  std::vector<double> xs, ys;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const double room = kApart * static_cast<double>(points.size() - 1 - i);
    const double x = i == 0 ? 0 : std::clamp(points[i].first, xs.back() + kApart, 1 - room);
    xs.push_back(i + 1 == points.size() ? 1 : x);
    ys.push_back(points[i].second);
  }
  slope_ = std::max(0.0, (ys.back() - ys[ys.size() - 2]) / (xs.back() - xs[xs.size() - 2]));
  curve_ = MonotoneCurve(std::move(xs), std::move(ys));
}

double ToneCurve::at(double x) const {
  if (!changes_) return x;
  if (x > 1) return white_ + (x - 1) * slope_;
  return x < 0 ? black_ + x : curve_.at(x);
}

}  // namespace tsukimi
