// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/pace/film_time.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

constexpr int kSteps = 16;  // between two places, over which speed is taken as even
constexpr double kRounding = 1e-6;

}  // namespace

FilmTime::FilmTime(const Shoot& shoot, const KeptFrames& kept) : end_(kept.end()) {
  if (kept.frames.empty()) return;
  const Pace& pace = shoot.decisions.pace;
  double long_as = 0;
  if (pace.speed.keys.size() <= 1) {
    if (!pace.speed.keys.empty()) even_ = pace.speed.keys[0].values[Param::speed];
    long_as = end_ / even_;
  } else {
    // The speed runs over the film's places, whatever time the camera let pass between them.
    const Course speed(pace.speed, presets(kPace), places_in(kept, shoot.frame_count()),
                       shoot.sequence.places);
    times_.resize(static_cast<std::size_t>(std::lround(end_ * kSteps)) + 1);
    for (std::size_t i = 1; i < times_.size(); ++i)
      times_[i] =
          times_[i - 1] +
          1 / (speed.at_place(Param::speed, (static_cast<double>(i) - 0.5) / kSteps) * kSteps);
    long_as = times_.back();
  }
  if (pace.length > 0) {
    frames_ = std::max(1, static_cast<int>(std::lround(pace.length * shoot.decisions.fps)));
    if (long_as > 0 && frames_ > 1) stretch_ = (frames_ - 1) / long_as;
    return;
  }
  frames_ = static_cast<int>(std::floor(long_as + kRounding)) + 1;
}

double FilmTime::place(double time) const {
  const double wanted = time / stretch_;
  auto snapped = [this](double at) {  // where a frame stands, that frame is meant
    at = std::clamp(at, 0.0, end_);
    return std::fabs(at - std::round(at)) < kRounding ? std::round(at) : at;
  };
  if (times_.size() < 2) return snapped(wanted * even_);
  const auto behind = std::ranges::upper_bound(times_, wanted);
  if (behind == times_.begin()) return 0;
  if (behind == times_.end()) return end_;
  const auto i = behind - times_.begin() - 1;
  const double part = (wanted - *(behind - 1)) / (*behind - *(behind - 1));
  return snapped((static_cast<double>(i) + part) / kSteps);
}

double FilmTime::time(double place) const {
  if (place <= 0) return place;
  if (place >= end_)
    return stretch_ * (times_.size() < 2 ? end_ / even_ : times_.back()) + (place - end_);
  if (times_.size() < 2) return stretch_ * place / even_;
  const double at = place * kSteps;
  const auto i = std::min(static_cast<std::size_t>(at), times_.size() - 2);
  return stretch_ * (times_[i] + (at - static_cast<double>(i)) * (times_[i + 1] - times_[i]));
}

double FilmTime::speed(double place) const {
  if (times_.size() < 2) return even_ / stretch_;
  const auto i =
      std::min(static_cast<std::size_t>(std::max(0.0, place * kSteps)), times_.size() - 2);
  return 1 / (kSteps * stretch_ * (times_[i + 1] - times_[i]));
}

}  // namespace tsukimi
