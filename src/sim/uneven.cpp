// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/uneven.h"

#include <cmath>
#include <numbers>

#include "sim/camera.h"
#include "sim/noise.h"

namespace tsukimi::sim {
namespace {

constexpr float kSoftEdge = 0.12f;  // of the frame, over which a half goes over into the other
constexpr double kFlash = 1.5;      // stops that lightning adds

// Nearly normal, sigma 1.
double normal_of(int shot, int what, std::uint32_t seed) {
  double sum = 0;
  for (int k = 0; k < 4; ++k) sum += unit_hash(shot, what + k, seed);
  return (sum - 2) * std::numbers::sqrt3;
}

bool is_quiet(const Shot& s) {
  return s.fault == Fault::none && !s.bump && s.uneven.lightning == 1 && s.uneven.slip == 0;
}

// Shots spread over the sequence, with three at least between two of them.
template <typename Happen>
void spread(std::vector<Shot>& shots, int count, int what, std::uint32_t seed,
            const Happen& happen) {
  const int n = static_cast<int>(shots.size());
  for (int attempt = 0, made = 0; made < count && attempt < 100 * count; ++attempt) {
    const int at = static_cast<int>(unit_hash(attempt, what, seed) * static_cast<float>(n));
    bool free = at > 2 && at < n - 3;
    for (int i = at - 3; free && i <= at + 3; ++i)
      if (i >= 0 && i < n) free = is_quiet(shots[static_cast<std::size_t>(i)]);
    if (!free) continue;
    happen(shots[static_cast<std::size_t>(at)]);
    ++made;
  }
}

}  // namespace

double Uneven::at_row(double y) const {
  const double band = 1 + banding * std::sin(2 * std::numbers::pi * (kBands * y + phase));
  const double upper = smoothstep(0.5f + kSoftEdge, 0.5f - kSoftEdge, static_cast<float>(y));
  return band * (1 + (lightning - 1) * upper);
}

double Uneven::at_column(double x) const {
  return 1 + (left - 1) * smoothstep(0.5f + kSoftEdge, 0.5f - kSoftEdge, static_cast<float>(x));
}

void plan_uneven(const CameraOptions& o, std::vector<Shot>& shots) {
  const UnevenOptions& u = o.uneven;
  for (std::size_t i = 0; i < shots.size(); ++i) {
    const int shot = static_cast<int>(i);
    Uneven& here = shots[i].uneven;
    here.banding = u.banding / 100;
    if (u.banding > 0) here.phase = unit_hash(shot, 60, o.seed);
    if (u.part > 0) here.left = std::exp(u.part / 100 * normal_of(shot, 61, o.seed));
    if (u.colour > 0) {
      here.channel[0] = std::exp(u.colour / 100 * normal_of(shot, 65, o.seed));
      here.channel[2] = std::exp(u.colour / 100 * normal_of(shot, 69, o.seed));
    }
  }
  spread(shots, u.lightning, 73, o.seed, [](Shot& s) { s.uneven.lightning = std::exp2(kFlash); });
  spread(shots, u.slips, 74, o.seed,
         [&](Shot& s) { s.uneven.slip = unit_hash(s.number, 75, o.seed) < 0.5f ? -2 : 2; });
}

}  // namespace tsukimi::sim
