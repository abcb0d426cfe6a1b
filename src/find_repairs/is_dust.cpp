// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/is_dust.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/median.h"
#include "image/relative_light.h"

namespace tsukimi {
namespace {

// How deep a shadow of this place and size is in a part of a picture of stops.
double depth_in(const Plane& part, const ShadowFit& fit) {
  const int cx = static_cast<int>(std::floor(fit.x)), cy = static_cast<int>(std::floor(fit.y));
  const ShadowShape shape(fit, fit.x - cx - 0.5, fit.y - cy - 0.5, kShiftSmoothing);
  const double wide = std::hypot(fit.radius, 1.414 * kShiftSmoothing);
  std::vector<double> ring;
  double gg = 0, gt = 0;
  for (int pass = 0; pass < 2; ++pass) {
    const double level = median_element(ring);
    for (int y = 0; y < part.height; ++y)
      for (int x = 0; x < part.width; ++x) {
        const double q = std::hypot(x + 0.5 - fit.x, y + 0.5 - fit.y) / wide;
        if (pass == 0 && q > 2.1 && q < 2.8 + 1 / wide) ring.push_back(part.at(x, y));
        if (pass == 0 || q >= 2 || std::abs(x - cx) > shape.reach() ||
            std::abs(y - cy) > shape.reach())
          continue;
        const double g = shape.at(x - cx, y - cy);
        gg += g * g, gt += g * (part.at(x, y) - level);
      }
  }
  return gg > 0 ? fit.strength * gt / gg : 0;
}
double depth_in(const Layered& of, const std::vector<int>& which, ShadowFit fit) {
  const DustWindow win(of, fit.x, fit.y, fit.radius);
  fit.x -= win.x0, fit.y -= win.y0;
  return depth_in(of.medians(which, win.x0, win.y0, win.w, win.h), fit);
}

// How much light goes up and down from frame to frame, stops: within a shadow and round it.
struct Changes {
  double within = 0, round = 0;
};
Changes changes_at(const DustStack& stack, const std::vector<int>& frames, const ShadowFit& fit) {
  const double wide = std::hypot(fit.radius, 1.414 * kShiftSmoothing);
  const DustWindow win(stack, fit.x, fit.y, fit.radius);
  std::vector<double> within, round, over_time;
  for (int y = win.y0; y < win.y0 + win.h; ++y)
    for (int x = win.x0; x < win.x0 + win.w; ++x) {
      const double q = std::hypot(x + 0.5 - fit.x, y + 0.5 - fit.y);
      const bool inside = q<0.7 * fit.radius, outside = q> 2 * wide && q < 3 * wide;
      if (!inside && !outside) continue;
      over_time.clear();
      for (int k : frames)
        if (const auto v = stack.frames[static_cast<std::size_t>(k)][stack.index(x, y)];
            v != Layered::kNotKnown)
          over_time.push_back(v / Layered::kUnit);
      if (std::ssize(over_time) < Layered::kFewest / 2) continue;
      const double middle = median_element(over_time);
      for (double& v : over_time) v = std::fabs(v - middle);
      (inside ? within : round).push_back(kSigmaPerMad * median_element(over_time));
    }
  return {median(within), median(round)};
}

// In the middle of many pictures: round, on even ground, equally deep early and late wherever
// enough is known; a cloud that stands may hide it once.
bool looks_like_dust(const DustStack& stack, const Layered& of, const std::vector<int>& which,
                     const ShadowFit& fit) {
  constexpr double kUneven = 0.2, kLeft = 0.03, kOfUneven = 3, kLeastRadius = 1.2;
  const double uneven = fit.around / -std::log2(1 - fit.strength);
  if (!could_be_dust(stack, fit) || fit.radius < kLeastRadius || uneven > kUneven ||
      fit.left > kLeft + kOfUneven * uneven * uneven)
    return false;
  constexpr int kParts = 4;
  const int count = static_cast<int>(which.size());
  const auto i = of.index(std::clamp(static_cast<int>(fit.x), 0, of.width - 1),
                          std::clamp(static_cast<int>(fit.y), 0, of.height - 1));
  int differ = 0, parts = 0;
  for (int k = 0; k < kParts; ++k) {
    const std::vector<int> part(which.begin() + k * count / kParts,
                                which.begin() + (k + 1) * count / kParts);
    const auto known = std::ranges::count_if(part, [&](int f) {
      return of.frames[static_cast<std::size_t>(f)][i] != Layered::kNotKnown;
    });
    if (known < Layered::kFewest / 2) continue;
    const double here = depth_in(of, part, fit);
    ++parts;
    const double give = 0.006 + fit.around;
    differ += here < 0.65 * fit.strength - give || here > 1.4 * fit.strength + give;
  }
  return parts >= 2 && differ <= 1;
}

}  // namespace

bool could_be_dust(const DustStack& stack, const ShadowFit& fit) {
  constexpr double kFaintest = 0.02, kMost = 0.9;
  return fit.strength > kFaintest && fit.strength < kMost && fit.radius > 0.8 &&
         fit.radius < 1.3 * largest_dust(stack.width);
}

bool is_dust_by_movement(const DustStack& stack, const std::vector<DustGroup>& groups,
                         const Found& found) {
  const ShadowFit& fit = found.fit;
  const DustGroup& seen = *found.seen;
  // The less sure it is, the rounder it must be.
  constexpr double kVerySure = 14, kLeft = 0.3, kLeftWhereUnsure = 0.1;
  if (!could_be_dust(stack, fit)) return false;
  const Share all = borne_out(groups, fit, seen);
  const double sure = all.share / all.doubt;
  if (all.share < 0.6 || all.share > 1.6 || sure < kSureOfDust) return false;
  if (fit.left > (sure > kVerySure ? kLeft : kLeftWhereUnsure)) return false;
  auto part_fits = [](const Share& part) {
    return part.share > 0.55 - 2 * part.doubt && part.share < 1.6 + 2 * part.doubt;
  };
  for (Half half : {Half::early, Half::late})
    if (!part_fits(borne_out(groups, fit, seen, half))) return false;
  for (int sector = 0; sector < 4; ++sector)
    if (!part_fits(borne_out(groups, fit, seen, Half::all, sector))) return false;
  return true;
}

bool is_dust_by_light(const DustStack& stack, const std::vector<DustGroup>& groups,
                      const Found& found, const Layered& of, const std::vector<int>& which,
                      bool by_itself) {
  constexpr double kShowsThrough = 0.4, kOther = 1.8, kOfTime = 2.5, kTogether = 4, kFloor = 0.002;
  const Share share = borne_out(groups, found.fit, *found.seen);
  const bool refuted = share.share + 2 * share.doubt < 0.7;
  // Light goes on changing behind a grain as it does round it; behind a mast it does not.
  if (refuted || !looks_like_dust(stack, of, which, found.fit)) return false;
  const Changes changes = changes_at(stack, found.seen->frames, found.fit);
  if (changes.within < kShowsThrough * changes.round || changes.within > kOther * changes.round)
    return false;
  // What stands there by itself is told from a part of the scene where there is no scene: what
  // lies round it is as even as what changes leaves of it.
  const double left =
      1.25 * changes.round / std::sqrt(static_cast<double>(found.seen->frames.size()) / kTogether);
  return !by_itself || found.fit.around < kOfTime * left + kFloor;
}

// Dust has no colour. Of each of some grains, how much deeper it is in red and blue than in green.
std::vector<char> are_grey(const DustStack& stack, const std::vector<DustFrame>& given,
                           const std::vector<Found>& found) {
  constexpr std::size_t kLooks = 15;
  std::vector<std::array<std::vector<double>, 2>> depths(found.size());
  std::vector<char> out(found.size(), 1);
  if (found.empty()) return out;
  for (std::size_t i = 0; i < stack.frames.size();
       i += std::max<std::size_t>(1, stack.frames.size() / kLooks)) {
    const auto proxy = given[static_cast<std::size_t>(stack.numbers[i])].proxy();
    if (!proxy) continue;
    const Image rgb = dust_copy(**proxy);
    for (std::size_t f = 0; f < found.size(); ++f) {
      const auto& frames = found[f].seen->frames;
      if (!std::ranges::binary_search(frames, static_cast<int>(i))) continue;
      ShadowFit fit = found[f].fit;
      const auto at = stack.index(std::clamp(static_cast<int>(fit.x), 0, stack.width - 1),
                                  std::clamp(static_cast<int>(fit.y), 0, stack.height - 1));
      if (stack.frames[i][at] == Layered::kNotKnown) continue;
      const DustWindow win(stack, fit.x, fit.y, fit.radius);
      fit.x -= win.x0, fit.y -= win.y0;
      for (std::size_t c : {0u, 2u}) {
        Plane part(win.w, win.h);
        for (int y = 0; y < win.h; ++y)
          for (int x = 0; x < win.w; ++x) {
            auto light = [&](std::size_t of) {
              return std::max(rgb.planes[of].at(win.x0 + x, win.y0 + y), kDarkestKnown);
            };
            part.at(x, y) = std::log2(light(c) / light(1));
          }
        depths[f][c / 2].push_back(depth_in(part, fit));
      }
    }
  }
  for (std::size_t f = 0; f < found.size(); ++f)
    for (const auto& of_colour : depths[f])
      out[f] &= std::fabs(median(of_colour)) <= 0.25 * found[f].fit.strength + 0.004;
  return out;
}

}  // namespace tsukimi
