// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/level.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "adjust/interpolate.h"
#include "base/banded.h"
#include "light/find_steps.h"

namespace tsukimi {
namespace {

constexpr double kLightPeriod =
    30;                             // frames; changes of scene light faster than this are not light
constexpr double kRampPeriod = 40;  // frames
constexpr double kFlickerSigma = 0.04;  // stops, expected size of e
// Prior of delta: of settings in thirds (told, or found in the picture), of blades, of others.
constexpr double kSigmaTimed = 0.015, kSigmaBlades = 0.04, kSigmaOdd = 0.08;
constexpr double kSigmaUnknown = 20;  // as good as free
constexpr double kRiser = 0.12;  // stops; less (shutter traded for ISO) is no riser and no knot
constexpr int kExcursion = 2;    // frames: a setting this short that returns is a slip

using Setting = std::tuple<double, double, double>;

struct Settings {
  std::vector<int> of_frame;        // index into gain
  std::vector<double> gain, prior;  // exact gain, prior sigma
};

// Of frames that tell no exposure: by the stair in their brightness.
Settings settings_of_stair(const std::vector<double>& stair) {
  Settings out;
  std::map<double, int> seen;
  for (double gain : stair) {
    const auto [it, fresh] = seen.try_emplace(gain, static_cast<int>(out.gain.size()));
    if (fresh) out.gain.push_back(gain), out.prior.push_back(kSigmaTimed);
    out.of_frame.push_back(it->second);
  }
  return out;
}

Settings settings_of_metadata(const std::vector<FrameInfo>& frames,
                              const std::vector<std::optional<double>>& gains) {
  Settings out;
  // Before the first known gain: that one, so that nothing is far off to begin with.
  double nearest = 0;
  for (auto g = gains.rbegin(); g != gains.rend(); ++g) nearest = g->value_or(nearest);
  std::map<Setting, int> seen;
  std::map<double, int> apertures;
  for (const auto& f : frames) ++apertures[f.aperture];
  const auto usual =
      std::max_element(apertures.begin(), apertures.end(), [](const auto& a, const auto& b) {
        return a.second < b.second;
      })->first;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const FrameInfo& f = frames[i];
    if (!gains[i]) {
      // Frames in a row that tell the same little are one setting; its gain is what the picture
      // says.
      const bool goes_on = i > 0 && !gains[i - 1] && frames[i - 1].shutter == f.shutter &&
                           frames[i - 1].iso == f.iso && frames[i - 1].aperture == f.aperture;
      if (!goes_on) {
        out.gain.push_back(nearest);
        out.prior.push_back(kSigmaUnknown);
      }
      out.of_frame.push_back(goes_on ? out.of_frame.back() : static_cast<int>(out.gain.size()) - 1);
      continue;
    }
    nearest = *gains[i];
    const auto [it, fresh] =
        seen.try_emplace({f.shutter, f.iso, f.aperture}, static_cast<int>(out.gain.size()));
    if (fresh) {
      const double exact = exact_gain(f);
      const bool standard = std::fabs(exact * 3 - std::round(exact * 3)) < 1e-6;
      out.gain.push_back(exact);
      out.prior.push_back(!standard ? kSigmaOdd : f.aperture != usual ? kSigmaBlades : kSigmaTimed);
    }
    out.of_frame.push_back(it->second);
  }
  return out;
}

// g and delta for given weights.
void solve(const std::vector<double>& target, const std::vector<double>& w, const Settings& s,
           const std::vector<double>& axis, std::vector<double>& g, std::vector<double>& delta) {
  const int n = static_cast<int>(target.size()), k = static_cast<int>(s.gain.size());
  BandedSystem a(n, 2);
  for (int i = 0; i < n; ++i) a.add(i, i, w[i] + 1e-9);
  a.add_second_differences(lambda_for_period(kLightPeriod), axis);
  a.factor();
  auto smooth = [&](std::vector<double> rhs) {
    a.solve(rhs);
    return rhs;
  };
  std::vector<double> wt(n);
  for (int i = 0; i < n; ++i) wt[i] = w[i] * target[i];
  const std::vector<double> g0 = smooth(wt);
  // Normal equations of delta after eliminating g: B'W(I - A^-1 W)B + prior.
  std::vector<std::vector<double>> response(k);
  BandedSystem schur(k, std::max(k - 1, 0));
  delta.assign(k, 0.0);
  for (int c = 0; c < k; ++c) {
    std::vector<double> column(n, 0.0);
    for (int i = 0; i < n; ++i)
      if (s.of_frame[i] == c) column[i] = w[i];
    response[c] = smooth(column);
    for (int i = 0; i < n; ++i)
      if (s.of_frame[i] == c) {
        schur.add(c, c, w[i]);
        delta[c] += w[i] * (target[i] - g0[i]);
      }
    schur.add(c, c, kFlickerSigma * kFlickerSigma / (s.prior[c] * s.prior[c]));
  }
  for (int c = 0; c < k; ++c)
    for (int i = 0; i < n; ++i)
      if (s.of_frame[i] <= c) schur.add(c, s.of_frame[i], -w[i] * response[c][i]);
  schur.factor();
  schur.solve(delta);
  g = g0;
  for (int c = 0; c < k; ++c)
    for (int i = 0; i < n; ++i) g[i] -= response[c][i] * delta[c];
}

// The stair with short excursions flattened: what the photographer meant.
std::vector<double> intended(const std::vector<double>& stair) {
  std::vector<double> out = stair;
  const int n = static_cast<int>(out.size());
  for (int i = 1; i < n; ++i) {
    const double away = out[i] - out[i - 1];
    if (std::fabs(away) < 1e-9) continue;
    for (int length = 1; length <= kExcursion; ++length) {
      if (i + length >= n) continue;
      const double back = out[i + length] - out[i - 1];
      if (std::fabs(back) > 0.5 * std::fabs(away)) continue;
      for (int j = i; j < i + length; ++j) out[j] = out[i - 1];
      break;
    }
  }
  return out;
}

std::vector<double> ramp_through(const std::vector<double>& stair,
                                 const std::vector<double>& axis) {
  const int n = static_cast<int>(stair.size());
  std::vector<double> xs{axis[0]}, ys{stair.front()};
  for (int i = 1; i < n; ++i)
    if (std::fabs(stair[i] - stair[i - 1]) > kRiser) {
      xs.push_back((axis[i - 1] + axis[i]) / 2);
      ys.push_back((stair[i] + stair[i - 1]) / 2);
    }
  if (n > 1) {
    xs.push_back(axis[n - 1]);
    ys.push_back(stair.back());
  }
  const MonotoneCurve curve(xs, ys);
  std::vector<double> out(n);
  for (int i = 0; i < n; ++i) out[i] = curve.at(axis[i]);
  // Risers come at uneven distances, so the cubic's slope swings from one to the next; seen in
  // motion that is a slow pulse. The same smoother as for the light takes it out.
  return n > 4 ? whittaker(out, std::vector<double>(n, 1.0), lambda_for_period(kRampPeriod), axis)
               : out;
}

// What is taken out of each step, and the stair with it.
void choose_steps(const std::vector<FrameInfo>& frames, const std::vector<StepChoice>& choices,
                  LevelResult& r) {
  double off = 0;
  for (std::size_t s = 0; s < r.steps.size(); ++s) {
    LevelStep& step = r.steps[s];
    const auto choice = std::ranges::find(choices, frames[static_cast<std::size_t>(step.at)].id,
                                          &StepChoice::frame);
    if (choice != choices.end()) step.use = choice->use;
    step.taken = step.use == StepUse::measured  ? step.measured
                 : step.use == StepUse::nominal ? step.nominal
                 : step.use == StepUse::by_hand ? choice->stops
                                                : 0;
    off += step.taken - step.measured;
    const int end = s + 1 < r.steps.size() ? r.steps[s + 1].at : static_cast<int>(r.stair.size());
    for (int i = step.at; i < end; ++i) r.stair[i] += off;
  }
}

std::vector<double> evening_of(const std::vector<FrameInfo>& frames,
                               const std::vector<double>& axis,
                               const std::vector<EveningHandle>& handles) {
  std::vector<double> xs, ys, out(frames.size(), 0.0);
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const auto handle = std::ranges::find(handles, frames[i].id, &EveningHandle::frame);
    if (handle != handles.end()) xs.push_back(axis[i]), ys.push_back(handle->stops);
  }
  if (xs.empty()) return out;
  const MonotoneCurve curve(xs, ys);
  for (std::size_t i = 0; i < frames.size(); ++i) out[i] = curve.at(axis[i]);
  return out;
}

}  // namespace

LevelResult level(const std::vector<FrameInfo>& frames, const std::vector<double>& axis,
                  const std::vector<double>& brightness, const std::vector<double>& clipped,
                  const LevelSettings& settings) {
  const int n = static_cast<int>(frames.size());
  LevelResult r;
  r.correction.assign(n, 0.0);
  if (n == 0) return r;
  const auto gains = comparable_gains(frames);
  r.found_in_picture = settings.find_steps && std::ranges::all_of(frames, [](const FrameInfo& f) {
                         return !(f.shutter > 0) && !(f.iso > 0) && !(f.aperture > 0);
                       });
  const Settings s = r.found_in_picture ? settings_of_stair(find_steps(axis, brightness))
                                        : settings_of_metadata(frames, gains);
  std::vector<double> target(n, 0.0), given(n, 0.0), residual(n, 0.0), delta;
  for (int i = 0; i < n; ++i)
    if (!std::isnan(brightness[i])) {
      target[i] = brightness[i] - s.gain[s.of_frame[i]];
      given[i] = 1;
    }
  std::vector<double> w = given;
  for (int round = 0; round < 8; ++round) {
    solve(target, w, s, axis, r.light, delta);
    for (int i = 0; i < n; ++i) residual[i] = target[i] - r.light[i] - delta[s.of_frame[i]];
    r.scatter = tukey_weights(residual, given, w, 0.01);
  }
  r.stair.resize(n);
  for (int i = 0; i < n; ++i) r.stair[i] = s.gain[s.of_frame[i]] + delta[s.of_frame[i]];
  for (int i = 1; i < n; ++i)
    if (s.of_frame[i] != s.of_frame[i - 1])
      r.steps.push_back(
          {i, s.gain[s.of_frame[i]] - s.gain[s.of_frame[i - 1]], r.stair[i] - r.stair[i - 1]});
  choose_steps(frames, settings.choices, r);
  r.ramp = ramp_through(intended(r.stair), axis);
  r.evening = evening_of(frames, axis, settings.evening);
  if (!settings.on) return r;
  for (int i = 0; i < n; ++i) {
    r.correction[i] =
        r.ramp[i] - r.stair[i] - settings.follow_light * (r.ramp[i] - r.ramp[0]) + r.evening[i];
    r.largest_correction = std::max(r.largest_correction, std::fabs(r.correction[i]));
    if (r.correction[i] < -0.05 && clipped[i] > 0.02) r.beyond_data.push_back(i);
  }
  return r;
}

}  // namespace tsukimi
