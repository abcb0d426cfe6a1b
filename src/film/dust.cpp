#include "film/dust.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/median.h"
#include "film/dust_slopes.h"

namespace tsukimi {
namespace {

constexpr int kFewestToFind = 24;      // of fewer, what stands still for a while looks like dust
constexpr double kLeastDepth = 0.025;  // stops
constexpr double kSure = 9;            // doubts that a share of a shadow must be

// Whether its surroundings are even enough for a shadow to be told at all: most dark places of a
// picture are parts of it.
bool stands_alone(const Plane& stops, const DarkSpot& c) {
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
  return 1.4826 * median_element(ring) < 0.5 * c.depth;
}

// Frames of each aperture of which there are enough; all together where none has.
using Groups = std::vector<std::pair<double, std::vector<int>>>;
Groups groups_of(const DustStack& stack) {
  Groups out;
  for (int k = 0; k < std::ssize(stack.apertures); ++k) {
    const double a = stack.apertures[static_cast<std::size_t>(k)];
    auto same = std::ranges::find_if(
        out, [&](const auto& g) { return std::fabs(g.first - a) <= 0.04 * std::max(a, g.first); });
    if (same == out.end()) same = out.insert(out.end(), {a, {}});
    same->second.push_back(k);
  }
  std::erase_if(out, [](const auto& g) { return std::ssize(g.second) < DustStack::kFewest; });
  // Others are reckoned from those: what each needs is large.
  constexpr std::size_t kMost = 6;
  std::ranges::sort(out, std::greater(), [](const auto& g) { return g.second.size(); });
  if (out.size() > kMost) out.resize(kMost);
  if (out.empty()) out.push_back({0, stack.all()});
  std::ranges::sort(out, {}, [](const auto& g) { return g.first; });
  return out;
}

struct Window {
  int x0, y0, w, h;
  Window(const DustStack& s, double x, double y, double radius) {
    const int reach = static_cast<int>(std::ceil(3.5 * radius)) + 3;
    x0 = std::max(0, static_cast<int>(x) - reach);
    y0 = std::max(0, static_cast<int>(y) - reach);
    w = std::min(s.width, static_cast<int>(x) + reach + 1) - x0;
    h = std::min(s.height, static_cast<int>(y) + reach + 1) - y0;
  }
};

// How deep it is for some of the frames, its place and size known.
double depth_in(const DustStack& stack, const std::vector<Relative>& frames,
                const std::vector<int>& which, const ShadowFit& fit) {
  const Window win(stack, fit.x, fit.y, fit.radius);
  const Plane part = stack.medians(frames, which, win.x0, win.y0, win.w, win.h);
  std::vector<double> ring;
  double gg = 0, gt = 0;
  for (int pass = 0; pass < 2; ++pass) {
    const double level = median_element(ring);
    for (int y = 0; y < win.h; ++y)
      for (int x = 0; x < win.w; ++x) {
        const double dx = win.x0 + x + 0.5 - fit.x, dy = win.y0 + y + 0.5 - fit.y,
                     q = std::hypot(dx, dy) / fit.radius;
        if (pass == 0 && q > 2.1 && q < 2.8 + 1 / fit.radius) ring.push_back(part.at(x, y));
        if (pass == 1 && q < 2.0) {
          const double g = std::exp(-q * q);
          gg += g * g, gt += g * (1 - std::exp2(part.at(x, y) - level));
        }
      }
  }
  return gg > 0 ? gt / gg : 0;
}

bool could_be_dust(const DustStack& stack, const ShadowFit& fit) {
  constexpr double kLeast = 0.02, kMost = 0.45;
  return fit.strength > kLeast && fit.strength < kMost && fit.radius > 0.8 &&
         fit.radius < 1.3 * largest_dust(stack.width);
}

// By the middle of all frames: where the scene moves or is even.
bool is_dust_by_light(const DustStack& stack, const ShadowFit& fit) {
  const bool even = fit.left < 0.3 && fit.around < 0.22 * fit.strength;
  if (!could_be_dust(stack, fit) || !even) return false;
  // Of no colour.
  const auto all = stack.all();
  for (const auto* colour : {&stack.red, &stack.blue})
    if (std::fabs(depth_in(stack, *colour, all, fit)) > 0.25 * fit.strength + 0.004) return false;
  // Equally deep early and late, wherever enough is known; a cloud that stands may hide it once.
  constexpr int kParts = 4;
  const int count = static_cast<int>(all.size());
  int differ = 0;
  for (int k = 0; k < kParts; ++k) {
    const std::vector<int> part(all.begin() + k * count / kParts,
                                all.begin() + (k + 1) * count / kParts);
    int known = 0;
    const auto i = stack.index(std::clamp(static_cast<int>(fit.x), 0, stack.width - 1),
                               std::clamp(static_cast<int>(fit.y), 0, stack.height - 1));
    for (int f : part)
      known += stack.frames[static_cast<std::size_t>(f)][i] != DustStack::kNotKnown;
    if (known < 5) continue;
    const double here = depth_in(stack, stack.frames, part, fit);
    differ += here < 0.65 * fit.strength - 0.006 || here > 1.4 * fit.strength + 0.006;
  }
  return differ <= 1;
}

// What the tripod's movement tells of the sensor.
struct Fixed {
  FixedSlopes all, early, late;
  std::vector<FixedSlopes> apertures;  // of each group
  Plane stops;                         // of all

  Fixed(const DustStack& stack, const Groups& groups, const Work& work) {
    // Each group's frames, early and late; and those of no group.
    const auto count = groups.size();
    const int half = static_cast<int>(stack.frames.size()) / 2;
    std::vector<int> part(stack.frames.size());
    for (std::size_t k = 0; k < part.size(); ++k)
      part[k] = static_cast<int>(2 * count) + (static_cast<int>(k) >= half);
    for (std::size_t g = 0; g < count; ++g)
      for (int k : groups[g].second)
        part[static_cast<std::size_t>(k)] = static_cast<int>(2 * g) + (k >= half);
    const auto parts = fixed_patterns(stack, part, static_cast<int>(2 * count + 2), work);
    FixedPattern first(stack.width, stack.height), second = first;
    for (std::size_t i = 0; i < parts.size(); ++i) (i % 2 ? second : first).add(parts[i]);
    early = first.slopes(), late = second.slopes();
    first.add(second);
    all = first.slopes();
    stops = stops_of(all);
    for (std::size_t g = 0; g < count; ++g) {
      FixedPattern own = parts[2 * g];
      own.add(parts[2 * g + 1]);
      apertures.push_back(own.slopes());
    }
  }
};

bool is_dust_by_movement(const DustStack& stack, const Fixed& fixed, const ShadowFit& fit) {
  // The less sure it is, the rounder it must be.
  constexpr double kVerySure = 14, kLeft = 0.3, kLeftWhereUnsure = 0.1;
  if (!could_be_dust(stack, fit)) return false;
  const Share all = borne_out(fixed.all, fit);
  const double sure = all.share / all.doubt;
  if (all.share < 0.6 || all.share > 1.6 || sure < kSure) return false;
  if (fit.left > (sure > kVerySure ? kLeft : kLeftWhereUnsure)) return false;
  for (const FixedSlopes* half : {&fixed.early, &fixed.late}) {
    const Share part = borne_out(*half, fit);
    if (part.share < 0.55 - 2 * part.doubt || part.share > 1.6 + 2 * part.doubt) return false;
  }
  for (int sector = 0; sector < 4; ++sector) {
    const Share part = borne_out(fixed.all, fit, sector);
    if (part.share < 0.55 - 2 * part.doubt || part.share > 1.6 + 2 * part.doubt) return false;
  }
  return true;
}

// The shadow at each aperture: `all` where all frames have one.
std::vector<Shadow> shadows_of(const DustStack& stack, const Groups& groups, const Fixed* fixed,
                               const ShadowFit& all) {
  std::vector<Shadow> out;
  for (std::size_t g = 0; g < groups.size(); ++g) {
    const auto& [aperture, frames] = groups[g];
    ShadowFit fit = all;
    if (fixed) {
      fit = refined(fixed->apertures[g], all);
    } else if (frames.size() < stack.frames.size()) {
      const Window win(stack, all.x, all.y, all.radius);
      fit = fit_shadow(stack.medians(stack.frames, frames, win.x0, win.y0, win.w, win.h),
                       all.x - win.x0, all.y - win.y0, all.radius, 0);
    }
    out.push_back({aperture, fit.radius / (stack.width * stack.covered), fit.strength});
  }
  return out;
}

struct Found {
  ShadowFit fit;
  bool by_movement;
};

// Spots of a map that are dust, but those that are known.
template <typename IsDust, typename Finish>
void find_in(const Plane& stops, double smoothing, const IsDust& is_dust, const Finish& finish,
             bool by_movement, std::vector<Found>& found) {
  for (const DarkSpot& c : dark_spots(stops, kLeastDepth, largest_dust(stops.width))) {
    auto near = [&](const Found& f) {
      return std::hypot(f.fit.x - c.x - 0.5, f.fit.y - c.y - 0.5) <
             2.5 * std::max(f.fit.radius, c.radius);
    };
    if (std::ranges::any_of(found, near) || !stands_alone(stops, c)) continue;
    const ShadowFit fit = fit_shadow(stops, c.x + 0.5, c.y + 0.5, 1.2 * c.radius, smoothing);
    if (std::hypot(fit.x - c.x - 0.5, fit.y - c.y - 0.5) < 1.5 * c.radius + 1 && is_dust(fit))
      found.push_back({finish(fit), by_movement});
  }
}

}  // namespace

DustMap map_dust(const std::vector<DustFrame>& frames, const Work& work) {
  DustMap out;
  const DustStack stack = read_dust_stack(frames, work);
  if (work.stop() || std::ssize(stack.frames) < kFewestToFind) return out;
  const Groups groups = groups_of(stack);
  const Fixed fixed(stack, groups, work);
  if (work.stop()) return out;
  const Plane light = stack.medians(stack.frames, stack.all());
  constexpr double kTells = 0.03;  // pixels of wobble: then the movement shows more
  out.stops = fixed.all.wobble > kTells ? fixed.stops : light;
  std::vector<Found> found;
  find_in(
      fixed.stops, fixed.all.smoothing(),
      [&](const ShadowFit& fit) { return is_dust_by_movement(stack, fixed, fit); },
      [&](const ShadowFit& fit) { return refined(fixed.all, fit); }, true, found);
  find_in(
      light, 0,
      [&](const ShadowFit& fit) {
        const Share share = borne_out(fixed.all, fit);
        const bool refuted = share.share + 2 * share.doubt < 0.7;
        return !refuted && is_dust_by_light(stack, fit);
      },
      [](const ShadowFit& fit) { return fit; }, false, found);
  for (const Found& f : found)
    out.spots.push_back({{f.fit.x / (stack.width * stack.covered), f.fit.y / stack.height},
                         shadows_of(stack, groups, f.by_movement ? &fixed : nullptr, f.fit)});
  std::ranges::sort(out.spots, std::greater(), &DustSpot::strength);
  return out;
}

std::vector<DustSpot> find_dust(const std::vector<DustFrame>& frames, const Work& work) {
  return map_dust(frames, work).spots;
}

std::vector<Shadow> measure_shadow(const std::vector<DustFrame>& frames, const Point& at,
                                   double radius, const Work& work) {
  const DustStack stack = read_dust_stack(frames, work);
  if (work.stop() || std::ssize(stack.frames) < DustStack::kFewest) return {};
  const double x = at.x * stack.width * stack.covered, y = at.y * stack.height,
               r = std::max(1.0, radius * stack.width * stack.covered);
  const Groups groups = groups_of(stack);
  const Fixed fixed(stack, groups, work);
  if (work.stop()) return {};
  const ShadowFit moved = refined(fixed.all, {x, y, r, 0.1});
  if (const Share share = borne_out(fixed.all, moved); share.share > kSure * share.doubt)
    return shadows_of(stack, groups, &fixed, moved);
  const Window win(stack, x, y, 2 * r);
  ShadowFit fit = fit_shadow(stack.medians(stack.frames, stack.all(), win.x0, win.y0, win.w, win.h),
                             x - win.x0, y - win.y0, r, 0);
  if (fit.strength <= 0 || std::hypot(fit.x + win.x0 - x, fit.y + win.y0 - y) > 2 * r) return {};
  fit.x += win.x0, fit.y += win.y0;
  return shadows_of(stack, groups, nullptr, fit);
}

}  // namespace tsukimi
