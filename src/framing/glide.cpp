// SPDX-License-Identifier: GPL-3.0-or-later
#include "framing/glide.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {
namespace {

// The mean of 1 / width on the way from width `w` to `factor` times that: what a step across is as
// it is seen.
double mean_inverse(double w, double factor) {
  return std::fabs(factor - 1) < 1e-9 ? 1 / w : std::log(factor) / ((factor - 1) * w);
}

// How much of a way across is done after a part of it as it is seen.
double share(double part, double factor) {
  if (std::fabs(factor - 1) < 1e-9) return part;
  return (std::pow(factor, part) - 1) / (factor - 1);
}

}  // namespace

Glide::Glide(const std::vector<GlideKey>& keys, double frame, double shape) : keys_(keys) {
  std::vector<double> times, sizes, turns;
  std::vector<Easing> pace, path;
  // What is held or comes to rest is a matter of time, not of the way.
  for (const GlideKey& k : keys_) {
    times.push_back(k.time);
    sizes.push_back(std::log(k.crop.w));
    turns.push_back(k.crop.angle);
    pace.push_back(k.easing);
    path.push_back(k.easing == Easing::straight ? Easing::straight : Easing::smooth);
  }
  way_ = across_at_ = down_at_ = {0};
  for (std::size_t i = 0; i + 1 < keys_.size(); ++i) {
    const CropAt &a = keys_[i].crop, &b = keys_[i + 1].crop;
    const double factor = b.w / a.w, inverse = mean_inverse(a.w, factor);
    const double high = frame / shape;  // the crop's height in heights of the frame, per width
    const double across = (b.x - a.x) * inverse, down = (b.y - a.y) * inverse;
    // The way is that of the crop's middle.
    const double middle_x = across + (b.w - a.w) / 2 * inverse,
                 middle_y = (down + high * (b.w - a.w) / 2 * inverse) / frame;
    const double turned = (b.angle - a.angle) * std::numbers::pi / 180;
    constexpr double kStandingStill = 1e-9;  // also where it stands still the way goes on
    factor_.push_back(factor);
    across_at_.push_back(across_at_.back() + across);
    down_at_.push_back(down_at_.back() + down);
    way_.push_back(way_.back() + kStandingStill +
                   std::hypot(std::log(factor), std::hypot(middle_x, middle_y), 0.5 * turned));
  }
  along_ = MonotoneCurve(times, way_, pace);
  size_ = MonotoneCurve(way_, sizes, path);
  turn_ = MonotoneCurve(way_, turns, path);
  across_ = MonotoneCurve(way_, across_at_, path);
  down_ = MonotoneCurve(way_, down_at_, path);
}

CropAt Glide::at(double time) const {
  if (time <= keys_.front().time) return keys_.front().crop;
  if (time >= keys_.back().time) return keys_.back().crop;
  const double s = along_.at(time);
  const auto next = std::ranges::upper_bound(way_, s);
  const auto i = std::min(static_cast<std::size_t>(next - way_.begin() - 1), keys_.size() - 2);
  const CropAt &a = keys_[i].crop, &b = keys_[i + 1].crop;
  if (s <= way_[i]) return a;
  auto between = [&](double from, double to, const MonotoneCurve& seen,
                     const std::vector<double>& at) {
    if (from == to) return from;
    const double part = (seen.at(s) - at[i]) / (at[i + 1] - at[i]);
    return from + share(std::clamp(part, 0.0, 1.0), factor_[i]) * (to - from);
  };
  return {between(a.x, b.x, across_, across_at_), between(a.y, b.y, down_, down_at_),
          std::exp(size_.at(s)), turn_.at(s)};
}

double Glide::speed(double time) const {
  constexpr double kStep = 0.5;
  return (along_.at(time + kStep) - along_.at(time - kStep)) / (2 * kStep);
}

}  // namespace tsukimi
