// SPDX-License-Identifier: GPL-3.0-or-later
#include "sky/sky_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/median.h"
#include "base/solve.h"
#include "sky/star_places.h"
#include "sky/star_tracks.h"
#include "sky/turn_frames.h"

namespace tsukimi {
namespace {

constexpr double kLeastWay = 0.0012;  // widths: what moves less may stand
constexpr std::size_t kFewestStars = 6;
constexpr double kShortest = 0.25, kLongest = 15;  // focal lengths, widths
constexpr double kMostBend = 0.15;

// What is looked for: the pole and the lens.
struct Guess {
  Ray pole{0, 0, 1};
  SkyLens lens;
  double shortest = kShortest, longest = kLongest;  // what the focal length may be
};

// One star's places; times since the first frame.
struct Star {
  std::vector<double> times;
  std::vector<Point> at;
};

Ray unit(Ray v) {
  const double n = std::hypot(v[0], v[1], v[2]);
  return {v[0] / n, v[1] / n, v[2] / n};
}

// The star's ray at time 0, from all its places.
Ray ray_of(const Guess& g, const Star& s) {
  Ray sum{};
  for (std::size_t i = 0; i < s.at.size(); ++i) {
    const Ray back = turned(rotation_about(g.pole, -kSkyRate * s.times[i]), g.lens.ray(s.at[i]));
    for (std::size_t k = 0; k < 3; ++k) sum[k] += back[k];
  }
  return unit(sum);
}

Point place_of(const Guess& g, const Ray& at_zero, double time) {
  return g.lens.seen(turned(rotation_about(g.pole, kSkyRate * time), at_zero));
}

// Cauchy's: what is far off counts little.
double cost_of(double r, double scale) { return std::log1p(r * r / (scale * scale)); }

double cost(const Guess& g, const std::vector<Star>& stars, double scale) {
  double sum = 0;
  std::size_t n = 0;
  for (const Star& s : stars) {
    const Ray ray = ray_of(g, s);
    for (std::size_t i = 0; i < s.at.size(); ++i, ++n)
      sum += cost_of(apart(place_of(g, ray, s.times[i]), s.at[i], g.lens.aspect), scale);
  }
  return sum / static_cast<double>(std::max<std::size_t>(n, 1));
}

// Two directions across the pole.
std::pair<Ray, Ray> across(const Ray& p) {
  const Ray other = std::fabs(p[2]) < 0.8 ? Ray{0, 0, 1} : Ray{1, 0, 0};
  const Ray a = unit({p[1] * other[2] - p[2] * other[1], p[2] * other[0] - p[0] * other[2],
                      p[0] * other[1] - p[1] * other[0]});
  return {a, {p[1] * a[2] - p[2] * a[1], p[2] * a[0] - p[0] * a[2], p[0] * a[1] - p[1] * a[0]}};
}

constexpr std::size_t kUnknowns = 4;  // the pole across its two directions, log focal, bend
using Change = std::array<double, kUnknowns>;

Guess changed(const Guess& g, const Change& by) {
  const auto [a, b] = across(g.pole);
  Guess out = g;
  for (std::size_t k = 0; k < 3; ++k) out.pole[k] += by[0] * a[k] + by[1] * b[k];
  out.pole = unit(out.pole);
  out.lens.focal = std::clamp(g.lens.focal * std::exp(by[2]), g.shortest, g.longest);
  out.lens.bend = std::clamp(g.lens.bend + by[3], -kMostBend, kMostBend);
  return out;
}

std::vector<double> differences(const Guess& g, const std::vector<Star>& stars) {
  std::vector<double> out;
  for (const Star& s : stars) {
    const Ray ray = ray_of(g, s);
    for (std::size_t i = 0; i < s.at.size(); ++i) {
      const Point p = place_of(g, ray, s.times[i]);
      out.push_back(p.x - s.at[i].x);
      out.push_back((p.y - s.at[i].y) / g.lens.aspect);
    }
  }
  return out;
}

// Levenberg and Marquardt's method with Cauchy's weights. bends: the distortion is free.
// believed: a focal length that the metadata tell holds it a little.
Guess refined(Guess g, const std::vector<Star>& stars, bool bends, double believed, int rounds) {
  constexpr Change kStep{1e-5, 1e-5, 1e-4, 1e-4};
  double scale = 4 * kStarAgrees, damping = 1e-3;
  const std::size_t free = bends ? 4 : 3;
  for (int round = 0; round < rounds; ++round) {
    const std::vector<double> now = differences(g, stars);
    std::vector<double> far;
    for (std::size_t i = 0; i + 1 < now.size(); i += 2)
      far.push_back(std::hypot(now[i], now[i + 1]));
    scale = std::clamp(2 * median(far), 5e-5, scale);
    std::vector<std::vector<double>> slopes;
    for (std::size_t u = 0; u < free; ++u) {
      Change by{};
      by[u] = kStep[u];
      slopes.push_back(differences(changed(g, by), stars));
      for (std::size_t i = 0; i < now.size(); ++i)
        slopes[u][i] = (slopes[u][i] - now[i]) / kStep[u];
    }
    std::array<std::array<double, kUnknowns>, kUnknowns> normal{};
    Change right{};
    for (std::size_t i = 0; i < now.size(); ++i) {
      const double r = far[i / 2] / scale, w = 1 / (1 + r * r);
      for (std::size_t u = 0; u < free; ++u) {
        right[u] -= w * slopes[u][i] * now[i];
        for (std::size_t v = 0; v < free; ++v) normal[u][v] += w * slopes[u][i] * slopes[v][i];
      }
    }
    // As if the focal length had been seen, to a third or so; a bend to be nothing, within 0.1.
    const double each = scale * scale;
    if (believed > 0) {
      const double weight = each / (0.3 * 0.3);
      normal[2][2] += weight, right[2] -= weight * std::log(g.lens.focal / believed);
    }
    normal[3][3] += each / 0.01, right[3] -= each / 0.01 * g.lens.bend;
    Change by = solve(normal, right, damping, free);
    for (double& v : by) v = std::clamp(v, -0.3, 0.3);
    const Guess next = changed(g, by);
    if (cost(next, stars, scale) <= cost(g, stars, scale)) {
      g = next, damping = std::max(damping / 5, 1e-6);
    } else {
      damping *= 8;
      if (damping > 1e4) break;
    }
  }
  return g;
}

// Evenly over the sphere, by the golden angle.
Ray direction(int i, int of) {
  const double z = 1 - 2 * (i + 0.5) / of, turn = i * std::numbers::pi * (3 - std::sqrt(5.0)),
               r = std::sqrt(1 - z * z);
  return {r * std::cos(turn), r * std::sin(turn), z};
}

// The best of all poles and focal lengths, coarsely.
std::vector<Guess> first_guesses(const std::vector<Star>& stars, double aspect, double focal) {
  constexpr int kPoles = 600;
  constexpr std::size_t kBest = 8;
  std::vector<double> lengths{0.4, 0.55, 0.75, 1, 1.4, 2, 3, 4.5, 7};
  Guess first;
  if (focal > 0) {  // sensors are smaller than film was, rarely larger
    lengths.clear();
    for (double crop : {0.8, 1.0, 1.25, 1.55, 2.0}) lengths.push_back(focal * crop);
    first.shortest = 0.72 * focal, first.longest = 2.3 * focal;
  }
  std::vector<std::pair<double, Guess>> all;
  for (double f : lengths)
    for (int i = 0; i < kPoles; ++i) {
      Guess g = first;
      g.pole = direction(i, kPoles), g.lens = {f, 0, aspect};
      double sum = 0;
      for (const Star& s : stars) {
        const Point end = place_of(
            g,
            turned(rotation_about(g.pole, -kSkyRate * s.times.front()), g.lens.ray(s.at.front())),
            s.times.back());
        const double way = std::max(apart(s.at.front(), s.at.back(), aspect), kLeastWay);
        sum += cost_of(apart(end, s.at.back(), aspect) / way, 0.3);
      }
      all.emplace_back(sum, g);
    }
  std::ranges::stable_sort(all, {}, &std::pair<double, Guess>::first);
  std::vector<Guess> out;
  for (std::size_t i = 0; i < std::min(kBest, all.size()); ++i) out.push_back(all[i].second);
  return out;
}

// Few enough of them, spread over time; of the longest ways first.
std::vector<Star> stars_of(std::vector<StarTrack> tracks, const std::vector<StarFrame>& frames,
                           std::size_t most, std::size_t places, double aspect) {
  std::ranges::stable_sort(tracks, std::greater(),
                           [&](const StarTrack& t) { return way_of(t, aspect); });
  if (tracks.size() > most) {  // not only the fastest, which lie all in one part of the sky
    std::vector<StarTrack> some;
    for (std::size_t i = 0; i < most; ++i) some.push_back(tracks[i * tracks.size() / most]);
    tracks = std::move(some);
  }
  std::vector<Star> out;
  for (const StarTrack& t : tracks) {
    Star& s = out.emplace_back();
    const std::size_t n = std::min(places, t.seen.size());
    for (std::size_t i = 0; i < n; ++i) {
      const auto& seen = t.seen[n > 1 ? i * (t.seen.size() - 1) / (n - 1) : 0];
      s.times.push_back(frames[static_cast<std::size_t>(seen.frame)].time - frames.front().time);
      s.at.push_back(seen.at);
    }
  }
  return out;
}

}  // namespace

Rotation SkyFit::between(int from, int to) const {
  return then(inverse(frames[static_cast<std::size_t>(from)].turn),
              frames[static_cast<std::size_t>(to)].turn);
}

Point SkyFit::pole_on_frame() const {
  return lens.seen(pole[2] >= 0 ? pole : Ray{-pole[0], -pole[1], -pole[2]});
}

SkyFit fit_sky(const std::vector<StarFrame>& frames, double aspect, double focal, double pixel) {
  constexpr std::size_t kFewestFrames = 3, kFewestPoints = 3;
  SkyFit out;
  out.lens.aspect = aspect;
  out.frames.resize(frames.size());
  auto none = [&](SkyProblem why) {
    out.problem = why;
    return out;
  };
  if (std::ranges::count_if(frames, &StarFrame::same_camera) <
      static_cast<std::ptrdiff_t>(kFewestFrames))
    return none(SkyProblem::few_frames);
  std::vector<double> counts;
  for (const StarFrame& f : frames)
    if (f.same_camera) counts.push_back(static_cast<double>(f.stars.size()));
  if (std::ranges::max(counts) < static_cast<double>(kFewestPoints))
    return none(SkyProblem::no_stars);

  // A star is found to a sixth of a pixel or so; what is off by more is another thing.
  const double exact = std::min(0.45 * pixel, 0.0008), near = std::min(1.3 * pixel, kStarAgrees);
  const std::vector<StarTrack> as_seen = follow_stars(frames, aspect);
  const std::size_t all = as_seen.size();
  std::vector<StarTrack> tracks = as_seen;
  take_out_shaking(tracks, frames, aspect);
  std::vector<std::size_t> which;  // of those that were followed
  for (std::size_t i = 0; i < all; ++i)
    if (way_of(tracks[i], aspect) >= kLeastWay && goes_as_a_star(tracks[i], frames, aspect, exact))
      which.push_back(i);
  for (std::size_t i = 0; i < which.size(); ++i) tracks[i] = tracks[which[i]];
  tracks.resize(which.size());
  if (tracks.size() < kFewestStars)
    return none(all >= 2 * kFewestStars ? SkyProblem::stands : SkyProblem::few_stars);

  auto agrees = [&](const Guess& g, const Star& s) {
    constexpr double kOfWay = 0.15;  // what hardly moves agrees with everything
    const Ray ray = ray_of(g, s);
    std::vector<double> off;
    for (std::size_t i = 0; i < s.at.size(); ++i)
      off.push_back(apart(place_of(g, ray, s.times[i]), s.at[i], aspect));
    return median(off) < std::min(near, kOfWay * apart(s.at.front(), s.at.back(), aspect));
  };
  auto agreeing = [&](const Guess& g, const std::vector<Star>& of) {
    std::vector<Star> those;
    std::ranges::copy_if(of, std::back_inserter(those),
                         [&](const Star& s) { return agrees(g, s); });
    return those;
  };
  // Of the first guesses the one that most stars agree with, made finer by those.
  const std::vector<Star> some = stars_of(tracks, frames, 150, 3, aspect),
                          stars = stars_of(tracks, frames, 600, 8, aspect);
  Guess best;
  std::size_t most = 0;
  for (const Guess& first : first_guesses(some, aspect, focal)) {
    Guess g = refined(first, some, false, focal, 12);
    if (const auto good = agreeing(g, some); good.size() >= kFewestStars)
      g = refined(g, good, false, focal, 12);
    if (const std::size_t n = agreeing(g, stars).size(); n > most) most = n, best = g;
  }
  for (int round = 0; round < 2; ++round) {
    const auto good = agreeing(best, stars);
    if (good.size() < kFewestStars) return none(SkyProblem::no_fit);
    best = refined(best, good, good.size() >= 40, focal, 25);
  }
  // Half of all that moves, or many of what moves otherwise too: clouds that have a texture.
  const std::size_t good = agreeing(best, stars).size();
  const bool many = good >= 30 && 6 * good >= stars.size(),
             bends_too_much = std::fabs(best.lens.bend) > 0.99 * kMostBend;
  if (good < kFewestStars || (2 * good < stars.size() && !many) || bends_too_much)
    return none(SkyProblem::no_fit);

  out.problem = SkyProblem::none;
  out.lens = best.lens, out.pole = best.pole;
  out.stars = static_cast<int>(good);
  // Of all of them what is left, and where they are in each frame.
  double squares = 0;
  std::size_t n = 0;
  std::vector<std::vector<Point>> seen(frames.size());
  for (std::size_t k = 0; k < tracks.size(); ++k) {
    const Star s = stars_of({tracks[k]}, frames, 1, tracks[k].seen.size(), aspect).front();
    if (!agrees(best, s)) continue;
    const Ray ray = ray_of(best, s);
    for (std::size_t i = 0; i < s.at.size(); ++i, ++n) {
      const double off = apart(place_of(best, ray, s.times[i]), s.at[i], aspect);
      squares += off * off;
      const auto& there = as_seen[which[k]].seen[i];
      seen[static_cast<std::size_t>(there.frame)].push_back(there.at);
    }
  }
  out.left = std::sqrt(squares / static_cast<double>(std::max<std::size_t>(n, 1)));
  // Of few among many others it has to be as exact as stars are.
  if (2 * good < stars.size() && out.left > 0.3 * pixel) return none(SkyProblem::no_fit);
  constexpr std::size_t kMostSeen = 4000;
  const std::size_t every = n / kMostSeen + 1;
  std::size_t one = 0;
  for (const auto& of_frame : seen)
    for (const Point& p : of_frame)
      if (one++ % every == 0) out.seen.push_back(p);
  turn_frames(frames, seen, out);
  return out;
}

}  // namespace tsukimi
