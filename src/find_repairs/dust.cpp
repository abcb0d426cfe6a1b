// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/dust.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/median.h"
#include "base/part_of_work.h"
#include "find_repairs/is_dust.h"

namespace tsukimi {
namespace {

constexpr int kFewestToFind = 24;      // of fewer, what stands still for a while looks like dust
constexpr double kLeastDepth = 0.025;  // stops

// Whether its surroundings are even enough for a shadow to be told at all: most dark places of a
// picture are parts of it.
bool stands_alone(const Plane& stops, const DarkSpot& c, double most) {
  std::vector<double> ring;
  const double from = 2.2 * c.radius, to = 3.2 * c.radius + 1;
  for (int y = std::max(0, static_cast<int>(c.y - to));
       y <= std::min(stops.height - 1, static_cast<int>(c.y + to) + 1); ++y)
    for (int x = std::max(0, static_cast<int>(c.x - to));
         x <= std::min(stops.width - 1, static_cast<int>(c.x + to) + 1); ++x)
      if (const double d = std::hypot(x - c.x, y - c.y); d >= from && d < to)
        ring.push_back(stops.at(x, y));
  const double level = median_element(ring);
  for (double& v : ring) v = std::fabs(v - level);
  return kSigmaPerMad * median_element(ring) < most * c.depth;
}

// A grain that was found somewhere, measured where it is large and sure.
Found where_it_shows_best(const std::vector<DustGroup>& groups, const Found& found) {
  Found out = found;
  double most = 0;
  for (const DustGroup& g : groups) {
    const ShadowFit fit = refined(g.all, as_in(found.fit, *found.seen, g));
    const Share share = borne_out(g.all, fit);
    // What is no larger than the smoothing could be wider or deeper.
    const double large = std::min(1.0, fit.radius / (2 * g.all.smoothing)),
                 shows = share.share / share.doubt * large * large;
    if (std::fabs(share.share - 1) < 0.3 && shows > most) most = shows, out = {fit, &g};
  }
  return out;
}

// The shadow through each aperture that shows it; through the others it is reckoned from those.
std::vector<Shadow> shadows_of(const DustStack& stack, const std::vector<DustGroup>& groups,
                               const Found& found) {
  constexpr double kClearly = 8, kLeft = 0.15, kAlike = 0.25;
  std::vector<Shadow> out;
  auto add = [&](const DustGroup& g, const ShadowFit& fit) {
    out.push_back(
        {g.aperture, fit.radius / (stack.width * stack.covered), fit.strength, fit.falloff});
  };
  for (const DustGroup& g : groups) {
    const ShadowFit about = as_in(found.fit, *found.seen, g);
    if (&g == found.seen) {
      add(g, about);
      continue;
    }
    const ShadowFit moved = refined(g.all, about);
    if (const Share share = borne_out(g.all, moved);
        share.share > kClearly * share.doubt && std::fabs(share.share - 1) < 0.3 &&
        std::fabs(std::log(moved.radius / about.radius)) < kAlike) {
      add(g, moved);
      continue;
    }
    auto fitted = [&](const Layered& of, const std::vector<int>& which) {
      if (of.frames.empty()) return false;
      const DustWindow win(of, about.x, about.y, about.radius);
      const ShadowFit fit =
          fit_shadow(of.medians(which, win.x0, win.y0, win.w, win.h), about.x - win.x0,
                     about.y - win.y0, about.radius, kShiftSmoothing);
      const double off = std::hypot(fit.x + win.x0 - about.x, fit.y + win.y0 - about.y);
      const bool fits = fit.left < kLeft && fit.around < 0.1 * fit.strength &&
                        off < 0.5 * about.radius && could_be_dust(stack, fit) &&
                        std::fabs(std::log(fit.radius / about.radius)) < kAlike;
      if (fits) add(g, fit);
      return fits;
    };
    if (!fitted(g.gone_by, g.gone_by.all())) fitted(stack, g.frames);
  }
  return out;
}

// A map of what may lie on the sensor, as one group sees it.
struct ShadowMap {
  const DustGroup& group;
  const Plane& stops;
  double smoothing;  // sigma of the map, pixels
  double uneven;     // how much surroundings may differ among themselves, of a spot's depth
};

// Spots of a map that are dust, but those that are known. worth: whether a spot, about so large and
// deep, is worth fitting a shadow to.
template <typename Worth, typename IsDust>
void find_in(const ShadowMap& map, const Worth& worth, const IsDust& is_dust,
             const std::vector<Found>& known, std::vector<Found>& found) {
  for (const DarkSpot& c : dark_spots(map.stops, kLeastDepth, largest_dust(map.stops.width))) {
    const ShadowFit about{c.x + 0.5, c.y + 0.5, 1.2 * c.radius, 1 - std::exp2(-c.depth)};
    auto near = [&](const Found& f) {
      return std::hypot(f.fit.x - about.x, f.fit.y - about.y) <
             2.5 * std::max(f.fit.radius, c.radius);
    };
    if (std::ranges::any_of(known, near) || std::ranges::any_of(found, near) ||
        !stands_alone(map.stops, c, map.uneven) || !worth(about))
      continue;
    const ShadowFit fit = fit_shadow(map.stops, about.x, about.y, about.radius, map.smoothing);
    if (std::hypot(fit.x - about.x, fit.y - about.y) < 1.5 * c.radius + 1 && is_dust(fit))
      found.push_back({fit, &map.group});
  }
}

}  // namespace

DustMap map_dust(const std::vector<DustFrame>& frames, const Work& work) {
  constexpr int kRead = 25, kSeen = 90, kAll = 100;  // where it stands, of a hundred
  DustMap out;
  const DustStack stack = read_dust_stack(frames, part_of_work(work, 0, kRead));
  if (work.stop() || std::ssize(stack.frames) < kFewestToFind) return out;
  const std::vector<DustGroup> groups = dust_groups(stack, part_of_work(work, kRead, kSeen));
  if (work.stop()) return out;
  std::vector<Found> found, looks;  // looks: by nothing but how they look
  // The most that surroundings may differ among themselves, of a spot's depth.
  constexpr double kUnevenSlopes = 0.5, kUnevenLight = 0.3;
  constexpr double kTells = 0.03;  // pixels of wobble: then the movement shows more
  int done = 0;
  // The surest first: what is found is not looked for by less.
  auto each_group = [&](const auto& look) {
    for (std::size_t k = 0; k < groups.size() && !work.stop(); ++k) {
      look(groups[k]);
      work.report(kSeen + (kAll - kSeen) * ++done / (3 * static_cast<int>(groups.size())), kAll);
    }
  };
  each_group([&](const DustGroup& g) {
    const Plane stops = stops_of(g.all);
    find_in(
        {g, stops, g.all.smoothing, kUnevenSlopes},
        [&](const ShadowFit& about) {
          constexpr double kLeastSure = 3;
          const Share share = borne_out(g.all, about);
          return share.share > kLeastSure * share.doubt;
        },
        [&](const ShadowFit& fit) {
          return is_dust_by_movement(stack, groups, {fit, &g});
        },
        {}, found);
    if (&g == &groups.front() && g.all.wobble > kTells) out.stops = stops;
  });
  const auto any = [](const ShadowFit&) { return true; };
  each_group([&](const DustGroup& g) {
    const Layered& by = g.gone_by;
    if (std::ssize(g.frames) < kFewestToFind || by.frames.empty()) return;
    const auto all = by.all();
    find_in(
        {g, by.medians(all), kShiftSmoothing, kUnevenLight}, any,
        [&](const ShadowFit& fit) {
          return is_dust_by_light(stack, groups, {fit, &g}, by, all, false);
        },
        {}, found);
  });
  each_group([&](const DustGroup& g) {
    const bool shown = &g == &groups.front() && out.stops.data.empty();
    const bool enough = std::ssize(g.frames) >= kFewestToFind;
    if (!enough && !shown) return;
    const Plane light = stack.medians(g.frames);
    if (enough)
      find_in(
          {g, light, kShiftSmoothing, kUnevenLight}, any,
          [&](const ShadowFit& fit) {
            return is_dust_by_light(stack, groups, {fit, &g}, stack, g.frames, true);
          },
          found, looks);
    if (shown) out.stops = light;
  });
  for (Found& f : found) f = where_it_shows_best(groups, f);
  const auto grey = are_grey(stack, frames, looks);
  for (std::size_t i = 0; i < looks.size(); ++i)
    if (grey[i]) found.push_back(looks[i]);
  for (const Found& f : found)
    out.spots.push_back({{f.fit.x / (stack.width * stack.covered), f.fit.y / stack.height},
                         shadows_of(stack, groups, f)});
  std::ranges::sort(out.spots, std::greater(), &DustSpot::strength);
  return out;
}

std::vector<DustSpot> find_dust(const std::vector<DustFrame>& frames, const Work& work) {
  return map_dust(frames, work).spots;
}

std::vector<Shadow> measure_shadow(const std::vector<DustFrame>& frames, const Point& at,
                                   double radius, const Work& work) {
  const DustStack stack = read_dust_stack(frames, part_of_work(work, 0, 25));
  if (work.stop() || std::ssize(stack.frames) < Layered::kFewest) return {};
  const double x = at.x * stack.width * stack.covered, y = at.y * stack.height,
               r = std::max(1.0, radius * stack.width * stack.covered);
  const std::vector<DustGroup> groups = dust_groups(stack, part_of_work(work, 25, 100));
  if (work.stop()) return {};
  // Of the aperture that shows it best.
  Found best{{}, nullptr};
  double most = 0;
  for (const DustGroup& g : groups) {
    const ShadowFit moved = refined(g.all, {x, y, r, 0.1});
    const Share share = borne_out(g.all, moved);
    if (const double sure = share.share / share.doubt; sure > std::max(most, kSureOfDust))
      most = sure, best = {moved, &g};
  }
  if (best.seen) return shadows_of(stack, groups, best);
  double least = 1e9;
  for (const DustGroup& g : groups) {
    const DustWindow win(stack, x, y, 2 * r);
    ShadowFit fit = fit_shadow(stack.medians(g.frames, win.x0, win.y0, win.w, win.h), x - win.x0,
                               y - win.y0, r, kShiftSmoothing);
    fit.x += win.x0, fit.y += win.y0;
    if (fit.strength <= 0 || std::hypot(fit.x - x, fit.y - y) > 2 * r) continue;
    if (fit.left < least) least = fit.left, best = {fit, &g};
  }
  return best.seen ? shadows_of(stack, groups, best) : std::vector<Shadow>{};
}

}  // namespace tsukimi
