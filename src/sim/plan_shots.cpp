// SPDX-License-Identifier: GPL-3.0-or-later
// What the photographer does over the evening, and what happens to the tripod.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "sim/camera.h"
#include "sim/noise.h"

namespace tsukimi::sim {
namespace {

double uniform(const CameraOptions& o, int i, int what) {
  return static_cast<double>(unit_hash(i, what, o.seed * 31u + 7u));
}

// Light over the evening's course, stops.
class Metered {
 public:
  explicit Metered(const std::vector<double>& light) : light_(light) {}
  double at(double progress) const {
    const double at = progress * static_cast<double>(light_.size() - 1);
    const auto i = std::min(static_cast<std::size_t>(at), light_.size() - 2);
    return light_[i] + (at - static_cast<double>(i)) * (light_[i + 1] - light_[i]);
  }
  double beyond_start(double progress) const { return at(progress) - at(0); }

 private:
  const std::vector<double>& light_;
};

// The frames at which something happens; -1: it does not.
struct Accidents {
  static constexpr int kGap = 3;  // frames that are missing
  int gap_after, traded, wrong, ruined_first, ruined_second, bump;

  explicit Accidents(const CameraOptions& o) {
    const auto about = [&](double share, double spread, int what) {
      return static_cast<int>(o.frames * (share + spread * uniform(o, 0, what)));
    };
    const bool enough = o.frames > 8;
    gap_after = o.gap && enough ? about(0.30, 0.15, 1) : -1;
    traded = about(0.45, 0.1, 2);
    wrong = o.wrong_aperture && enough ? about(0.22, 0.05, 3) : -1;
    ruined_first = o.ruined && enough ? about(0.60, 0.05, 4) : -1;
    ruined_second = ruined_first >= 0 ? ruined_first + 1 + about(0.10, 0.08, 5) : -1;
    bump = about(0.70, 0.05, 6);
  }
  int missing() const { return gap_after >= 0 ? kGap : 0; }
  bool is_missing(int shot) const {
    return gap_after >= 0 && shot > gap_after && shot <= gap_after + kGap;
  }
};

// Who sets the exposure: the photographer now and then, or the camera at every frame. In thirds of
// a stop; 1/100 s, ISO 100, f/5.6 in the afternoon are -20.
class Hand {
 public:
  Hand(const CameraOptions& o, const Metered& light) : o_(o), light_(light) {
    exposure_ = kAfternoon - static_cast<int>(std::round(kFollow * light.beyond_start(o.from)));
  }

  // The exposure of a shot; late: a step was noticed a frame late.
  int expose(int shot, double progress, bool& late) {
    late = false;
    if (!o_.steps) return exposure_;
    const double wish = kAfternoon - kFollow * light_.beyond_start(progress);
    const int way = o_.from > o_.to ? -1 : 1;  // at dawn exposures become shorter
    const double off = way * (wish - exposure_);
    if (o_.automatic) {
      // A meter that clouds and ships mislead by a sixth of a stop.
      constexpr double kMisled = 0.5;  // thirds
      exposure_ = static_cast<int>(
          std::lround(wish + kMisled * normal_from(static_cast<std::uint32_t>(shot), 13, o_.seed)));
    } else if (off > kNoticed) {
      if (!pending_ && uniform(o_, shot, 7) < 0.25) {
        pending_ = true;
      } else {
        exposure_ += way * std::max(1, static_cast<int>(std::floor(off)));
        late = pending_;
        pending_ = false;
      }
    }
    return exposure_;
  }

 private:
  static constexpr int kAfternoon = -20;
  static constexpr double kFollow = 3 * 0.85;  // thirds per stop: of falling light
  static constexpr double kNoticed = 0.8;      // thirds
  const CameraOptions& o_;
  const Metered& light_;
  int exposure_;
  bool pending_ = false;
};

void shake(const CameraOptions& o, int shot, int i, int bump, Shot& s) {
  s.bump = o.wobble && i == bump;
  if (!o.wobble) return;
  const double by_x = o.shaking.value_or(0.45), by_y = o.shaking.value_or(0.30),
               size = o.bump ? *o.bump / std::hypot(3.3, 1.8) : 1,
               gone = o.frames > 1 ? i / (o.frames - 1.0) : 0;
  const auto of = static_cast<std::uint32_t>(shot);
  s.wobble_x =
      by_x * normal_from(of, 10, o.seed) + (i >= bump ? 3.3 * size : 0) + 0.96 * o.drift * gone;
  s.wobble_y =
      by_y * normal_from(of, 11, o.seed) + (i >= bump ? -1.8 * size : 0) + 0.28 * o.drift * gone;
  s.turn = o.turn * std::numbers::pi / 180 * normal_from(of, 12, o.seed);
}

// Shutter, ISO and aperture for an exposure. longest: of the shutter, thirds.
void set_exposure(const CameraOptions& o, int exposure, int iso_shift, int longest, int i,
                  Shot& s) {
  if (o.night) {
    s.shutter_thirds = s.iso_thirds = 12, s.aperture_thirds = 9;
    return;
  }
  const int over = std::max(0, exposure - iso_shift - longest);
  s.shutter_thirds = exposure - iso_shift - over;
  s.iso_thirds = iso_shift + over;
  s.aperture_thirds = 15;
  for (const auto& [from, number] : o.apertures)
    if (i >= from) s.aperture_thirds = static_cast<int>(std::lround(6 * std::log2(number)));
  s.shutter_thirds += s.aperture_thirds - 15;
  s.error = o.step_error * normal_from(static_cast<std::uint32_t>(1000 + s.shutter_thirds),
                                       static_cast<std::uint32_t>(s.iso_thirds), o.seed + 17);
}

void add_moment(const CameraOptions& o, const Shot& s, std::vector<Shot>& out) {
  constexpr double kApart = 1.2, kRest = 0.3;  // s from one to the next, at least; between them
  double delay = 0;
  for (int k = 0; k < o.bracket; ++k) {
    Shot one = s;
    one.number += k;
    one.shutter_thirds += o.bracket_thirds * (k - o.bracket / 2);
    one.delay = delay;
    one.time += delay;
    delay += std::max(kApart, std::exp2(one.shutter_thirds / 3.0) + kRest);
    // Each shot flickers by itself, and every shutter has its own error.
    if (k > 0 && o.flicker)
      one.flicker = std::exp(o.flicker_percent / 100 *
                             normal_from(static_cast<std::uint32_t>(one.number), 14, o.seed));
    // Who asks for wind gets it between the shots of a moment too.
    if (k > 0 && o.wobble && o.shaking) {
      const auto of = static_cast<std::uint32_t>(one.number);
      one.wobble_x += *o.shaking * normal_from(of, 15, o.seed);
      one.wobble_y += *o.shaking * normal_from(of, 16, o.seed);
    }
    one.error = o.step_error * normal_from(static_cast<std::uint32_t>(1000 + one.shutter_thirds),
                                           static_cast<std::uint32_t>(one.iso_thirds), o.seed + 17);
    out.push_back(one);
  }
}

}  // namespace

std::vector<Shot> plan_shots(const CameraOptions& o, const std::vector<double>& light) {
  const Accidents accidents(o);
  const Metered metered(light);
  Hand hand(o, metered);
  const int shots = o.frames + accidents.missing();
  // Shutter so that the longest stays below 0.6 of the interval; the rest is ISO.
  // All shots of a moment together, the longest of which takes about half of that.
  const double most = 0.6 * o.interval / (o.bracket > 1 ? 2 : 1);
  const int longest = static_cast<int>(std::floor(3 * std::log2(std::max(most, 0.01)))) -
                      o.bracket_thirds * (o.bracket / 2);
  int iso_shift = 0;
  constexpr double kToNight = 5 * 3600;
  const double start = 1948732200.0 + 86400.0 * (o.seed % 20) + o.start +
                       (o.night ? kToNight : 0);  // an October evening
  std::vector<Shot> out;
  for (int shot = 0, i = 0; i < o.frames; ++shot) {
    Shot s;
    s.progress =
        o.from + (shots > 1 ? (o.to - o.from) * static_cast<double>(shot) / (shots - 1) : 0);
    const int exposure = hand.expose(shot, s.progress, s.late_step);
    if (accidents.is_missing(shot)) continue;
    if (o.steps && i == accidents.traded) iso_shift = 3;
    s.number = o.first_number + shot * o.bracket;
    s.time =
        std::round((start + shot * o.interval + 0.02 * (uniform(o, shot, 8) - 0.5)) * 100) / 100;
    set_exposure(o, exposure, iso_shift, longest, i, s);
    if (i == accidents.wrong) s.aperture_thirds = 18, s.fault = Fault::aperture;  // f/8 for one
    if (i == accidents.ruined_first || i == accidents.ruined_second) s.fault = Fault::headlights;
    if (o.flicker)
      s.flicker = std::exp(o.flicker_percent / 100 *
                           normal_from(static_cast<std::uint32_t>(shot), 9, o.seed));
    shake(o, shot, i, accidents.bump, s);
    add_moment(o, s, out);
    ++i;
  }
  return out;
}

}  // namespace tsukimi::sim
