// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/track.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "base/banded.h"
#include "base/median.h"

namespace tsukimi {
namespace {

constexpr std::size_t kValues = 4;
using Values4 = std::array<double, kValues>;

Values4 values_of(const Similarity& s) { return {s.dx, s.dy, s.angle, s.log_scale}; }
Similarity similarity_of(const Values4& v) { return {v[0], v[1], v[2], v[3]}; }

// What a pair would have between its frames, given how the first lies: a difference of values.
Values4 wanted(const MotionPair& p, const Similarity& from) {
  const Values4 to = values_of(then(from, p.move)), at = values_of(from);
  Values4 out{};
  for (std::size_t i = 0; i < kValues; ++i) out[i] = to[i] - at[i];
  return out;
}

}  // namespace

bool does_not_fit(const MotionFit& fit) {
  constexpr double kDoubtful = 4e-4, kShare = 0.06;       // widths; of the movement
  constexpr double kMostLeft = 2e-4, kMostParted = 0.15;  // widths; of the picture
  return (fit.doubt > kDoubtful && fit.doubt > kShare * fit.step) || fit.left > kMostLeft ||
         fit.parted > kMostParted;
}

MotionTrack solve_track(int frames, const std::vector<MotionPair>& pairs) {
  constexpr int kRounds = 8;
  constexpr double kLeastDoubt = 1e-5;   // widths
  constexpr double kLeastSpread = 0.02;  // of its doubt
  MotionTrack out;
  out.frames.resize(static_cast<std::size_t>(frames));
  if (frames == 0) return out;
  for (const MotionPair& p : pairs)
    for (int k : {p.from, p.to}) out.frames[static_cast<std::size_t>(k)].known = true;
  std::vector<double> trust, weights, doubts;
  for (const MotionPair& p : pairs) {
    const double doubt = doubts.emplace_back(p.doubt + kLeastDoubt);
    // What pulls one way in every frame (a cloud, a shadow) adds up over a chain of short pairs.
    const double apart = p.to - p.from;
    trust.push_back(apart * apart * kLeastDoubt * kLeastDoubt / (doubt * doubt));
  }
  weights = trust;
  std::vector<double> axis(static_cast<std::size_t>(frames));
  for (int i = 0; i < frames; ++i) axis[static_cast<std::size_t>(i)] = i;
  std::vector<double> residuals(pairs.size());
  int band = 2;
  for (const MotionPair& p : pairs) band = std::max(band, p.to - p.from);
  std::vector<double> judged, steps;
  for (const MotionPair& p : pairs)
    if (p.to - p.from == band)
      judged.push_back(p.doubt), steps.push_back(std::hypot(p.move.dx, p.move.dy));
  out.fit.doubt = median(judged), out.fit.step = median(steps);
  for (int round = 0; round < kRounds; ++round) {
    BandedSystem system(frames, band);
    // Where nothing is known it runs on evenly; the first frame lies where it lies.
    constexpr double kEven = 1e-8;
    if (frames > 2) system.add_second_differences(kEven, axis);
    for (int i = 0; i < frames; ++i) system.add(i, i, i == 0 ? 1.0 : 1e-12);
    std::array<std::vector<double>, kValues> right;
    for (auto& r : right) r.assign(static_cast<std::size_t>(frames), 0);
    for (std::size_t k = 0; k < pairs.size(); ++k) {
      const MotionPair& p = pairs[k];
      const double w = weights[k];
      system.add(p.from, p.from, w);
      system.add(p.to, p.to, w);
      system.add(p.to, p.from, -w);
      const Values4 d = wanted(p, out.frames[static_cast<std::size_t>(p.from)].move);
      for (std::size_t i = 0; i < kValues; ++i) {
        right[i][static_cast<std::size_t>(p.to)] += w * d[i];
        right[i][static_cast<std::size_t>(p.from)] -= w * d[i];
      }
    }
    system.factor();
    for (auto& r : right) system.solve(r);
    for (std::size_t f = 0; f < out.frames.size(); ++f) {
      Values4 v{};
      for (std::size_t i = 0; i < kValues; ++i) v[i] = right[i][f] - right[i][0];
      out.frames[f].move = similarity_of(v);
    }
    // Pairs that disagree by more than they are in doubt count less: a turn by what it does at the
    // side of the picture.
    double sum = 0, count = 0;
    for (std::size_t k = 0; k < pairs.size(); ++k) {
      const MotionPair& p = pairs[k];
      const Similarity &from = out.frames[static_cast<std::size_t>(p.from)].move,
                       &to = out.frames[static_cast<std::size_t>(p.to)].move;
      const Similarity should = then(from, p.move);
      residuals[k] = std::hypot(should.dx - to.dx, should.dy - to.dy) +
                     0.5 * std::hypot(should.angle - to.angle, should.log_scale - to.log_scale);
      sum += trust[k] * residuals[k] * residuals[k], count += trust[k];
      residuals[k] /= doubts[k];
    }
    if (count > 0) out.fit.left = std::sqrt(sum / count);
    if (pairs.empty()) break;
    tukey_weights(residuals, trust, weights, kLeastSpread);
    for (std::size_t k = 0; k < pairs.size(); ++k)
      weights[k] = std::max(weights[k], 1e-6 * trust[k]);
  }
  return out;
}

MotionTrack with_far(MotionTrack near, const MotionTrack& far, int every) {
  const std::size_t count = far.frames.size();
  if (count < 3) return near;
  // Smooth, and even between: no frame jumps where it was compared.
  constexpr double kPeriod = 4;  // of the far frames
  std::vector<double> weights(count), axis(count);
  for (std::size_t j = 0; j < count; ++j)
    axis[j] = static_cast<double>(j), weights[j] = far.frames[j].known ? 1 : 0;
  if (std::ranges::count(weights, 1.0) < 3) return near;
  std::vector<Values4> values;
  for (const FrameMotion& f : near.frames) values.push_back(values_of(f.move));
  for (std::size_t i = 0; i < kValues; ++i) {
    std::vector<double> off(count);
    for (std::size_t j = 0; j < count; ++j)
      off[j] = values_of(far.frames[j].move)[i] - values[j * static_cast<std::size_t>(every)][i];
    off = whittaker(off, weights, lambda_for_period(kPeriod), axis);
    for (std::size_t k = 0; k < values.size(); ++k) {
      const double at = static_cast<double>(k) / every;
      const auto j = std::min(static_cast<std::size_t>(at), count - 2);
      const double t = at - static_cast<double>(j);
      values[k][i] += off[j] + t * (off[j + 1] - off[j]) - off[0];
    }
  }
  for (std::size_t k = 0; k < values.size(); ++k) near.frames[k].move = similarity_of(values[k]);
  return near;
}

}  // namespace tsukimi
