#include "film/dust.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "develop/guided.h"
#include "image/fast_math.h"

namespace tsukimi {
namespace {

constexpr int kMostFrames = 120, kFewestFrames = 10;
constexpr int kFewestToFind = 24;  // of fewer, what stands still for a while looks like dust
constexpr float kUnit = 4096;      // stored: stops times this
constexpr std::int16_t kNotKnown = -32768;  // too dark, or clipped
constexpr float kTooDark = 0.004f, kTooBright = 0.9f;

// One frame's light against its surroundings.
using Relative = std::vector<std::int16_t>;

struct Stack {
  int width = 0, height = 0;
  std::vector<Relative> frames, red, blue;  // of brightness; of the colours against green
  std::vector<double> apertures;
  double covered = 1;  // of the width, by the frame

  std::size_t index(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
           static_cast<std::size_t>(x);
  }
};

std::int16_t stored(float stops) {
  return static_cast<std::int16_t>(std::clamp(stops * kUnit, -30000.0f, 30000.0f));
}

// Spots are at most this large, in pixels of a proxy; surroundings are larger.
int largest(int width) { return std::max(4, width / 90); }

void add_frame(Stack& stack, const Proxy& proxy, double aperture) {
  const Image rgb = unpack(proxy);
  const int w = rgb.width, h = rgb.height;
  Plane log(w, h), red(w, h), blue(w, h);
  std::vector<bool> known(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
  for (std::size_t i = 0; i < log.data.size(); ++i) {
    const float r = rgb.planes[0].data[i], g = rgb.planes[1].data[i], b = rgb.planes[2].data[i],
                light = 0.25f * (r + 2 * g + b);
    known[i] = light > kTooDark && std::max({r, g, b}) < kTooBright;
    log.data[i] = fast_log2(std::max(light, kTooDark));
    const float green = fast_log2(std::max(g, kTooDark));
    red.data[i] = fast_log2(std::max(r, kTooDark)) - green;
    blue.data[i] = fast_log2(std::max(b, kTooDark)) - green;
  }
  const int reach = 3 * largest(w);
  auto relative = [&](const Plane& plane) {
    const Plane around = box_mean(plane, reach);
    Relative out(plane.data.size());
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = known[i] ? stored(plane.data[i] - around.data[i]) : kNotKnown;
    return out;
  };
  stack.frames.push_back(relative(log));
  stack.red.push_back(relative(red));
  stack.blue.push_back(relative(blue));
  stack.apertures.push_back(aperture);
}

Stack read_stack(const std::vector<DustFrame>& frames, const Work& work) {
  Stack out;
  const int count = static_cast<int>(frames.size()), most = std::min(count, kMostFrames);
  for (int k = 0; k < most && !work.stop(); ++k) {
    const auto& frame =
        frames[static_cast<std::size_t>(static_cast<std::int64_t>(k) * count / most)];
    const auto proxy = frame.proxy();
    work.report(k + 1, most);
    if (!proxy) continue;
    const Proxy& p = **proxy;
    if (out.width == 0) {
      out.width = p.width, out.height = p.height;
      out.covered = part_of_proxy(p, {}).w;
    }
    if (p.width == out.width && p.height == out.height) add_frame(out, p, frame.aperture);
  }
  return out;
}

// The middle of what is known at a pixel, in stops; 0 where hardly anything is.
float median_at(const std::vector<Relative>& frames, const std::vector<int>& which, std::size_t i,
                std::vector<std::int16_t>& scratch) {
  scratch.clear();
  for (int k : which)
    if (const auto v = frames[static_cast<std::size_t>(k)][i]; v != kNotKnown) scratch.push_back(v);
  if (scratch.size() < kFewestFrames / 2) return 0;
  const auto middle = scratch.begin() + static_cast<std::ptrdiff_t>(scratch.size() / 2);
  std::nth_element(scratch.begin(), middle, scratch.end());
  return *middle / kUnit;
}

Plane medians(const Stack& stack, const std::vector<Relative>& frames,
              const std::vector<int>& which) {
  Plane out(stack.width, stack.height);
  parallel_rows(stack.height, [&](int y0, int y1) {
    std::vector<std::int16_t> scratch;
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < stack.width; ++x)
        out.at(x, y) = median_at(frames, which, stack.index(x, y), scratch);
  });
  return out;
}

std::vector<int> all_of(const Stack& stack) {
  std::vector<int> out(stack.frames.size());
  std::iota(out.begin(), out.end(), 0);
  return out;
}

// Sums over boxes.
class Sums {
 public:
  explicit Sums(const Plane& p)
      : width_(p.width),
        height_(p.height),
        data_(static_cast<std::size_t>(width_ + 1) * static_cast<std::size_t>(height_ + 1)) {
    for (int y = 0; y < height_; ++y)
      for (int x = 0; x < width_; ++x)
        at(x + 1, y + 1) = p.at(x, y) + at(x, y + 1) + at(x + 1, y) - at(x, y);
  }
  double sum(int x, int y, int half, double& count) const {
    const int x0 = std::max(0, x - half), x1 = std::min(width_, x + half + 1),
              y0 = std::max(0, y - half), y1 = std::min(height_, y + half + 1);
    count = static_cast<double>(x1 - x0) * (y1 - y0);
    return at(x1, y1) - at(x0, y1) - at(x1, y0) + at(x0, y0);
  }

 private:
  double& at(int x, int y) {
    return data_[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_ + 1) +
                 static_cast<std::size_t>(x)];
  }
  double at(int x, int y) const { return const_cast<Sums*>(this)->at(x, y); }
  int width_, height_;
  std::vector<double> data_;
};

// How much darker the middle is than a frame round it, for a spot of this radius.
double darker(const Sums& sums, int x, int y, double radius) {
  double n_in = 0, n_near = 0, n_far = 0;
  const double in = sums.sum(x, y, static_cast<int>(std::lround(0.6 * radius)), n_in),
               near = sums.sum(x, y, static_cast<int>(std::lround(1.9 * radius)), n_near),
               far = sums.sum(x, y, static_cast<int>(std::lround(2.8 * radius)) + 1, n_far);
  return (far - near) / std::max(n_far - n_near, 1.0) - in / n_in;
}

struct Fit {
  double x = 0, y = 0, radius = 0, strength = 0;
  double left = 1;    // of the variance within two radii, what the shadow does not explain
  double around = 0;  // stops: robust spread of the surroundings
};

double median_of(std::vector<double> v) {
  if (v.empty()) return 0;
  const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  return *middle;
}

// exp(-(d / r)^2), meant over a pixel.
double profile(double dx, double dy, double radius) {
  double sum = 0;
  for (double a : {-1.0 / 3, 0.0, 1.0 / 3})
    for (double b : {-1.0 / 3, 0.0, 1.0 / 3}) {
      const double x = dx + a, y = dy + b;
      sum += std::exp(-(x * x + y * y) / (radius * radius));
    }
  return sum / 9;
}

// The shadow that explains best what lies round a place.
Fit fit_shadow(const Plane& stops, double x, double y, double start) {
  Fit best{x, y, start, 0, 1, 0};
  for (int round = 0; round < 4; ++round) {
    const double reach = 2.8 * best.radius;
    std::vector<double> ring;
    auto each = [&](double from, double to, const auto& fn) {
      for (int j = std::max(0, static_cast<int>(best.y - to));
           j <= std::min(stops.height - 1, static_cast<int>(best.y + to) + 1); ++j)
        for (int i = std::max(0, static_cast<int>(best.x - to));
             i <= std::min(stops.width - 1, static_cast<int>(best.x + to) + 1); ++i) {
          const double dx = i + 0.5 - best.x, dy = j + 0.5 - best.y, d = std::hypot(dx, dy);
          if (d >= from && d < to) fn(dx, dy, stops.at(i, j));
        }
    };
    each(2.1 * best.radius, reach + 1, [&](double, double, float v) { ring.push_back(v); });
    const double level = median_of(ring);
    for (double& v : ring) v = std::fabs(v - level);
    best.around = 1.4826 * median_of(ring);
    double least = 1e30;
    Fit now = best;
    for (double r = 0.5 * best.radius; r <= 1.9 * best.radius; r *= 1.06) {
      double gg = 0, gt = 0, tt = 0;
      each(0, 2.2 * best.radius, [&](double dx, double dy, float v) {
        const double g = profile(dx, dy, r), t = 1 - std::exp2(v - level);
        gg += g * g, gt += g * t, tt += t * t;
      });
      const double s = gg > 0 ? gt / gg : 0, left = tt - s * gt;
      if (left < least && s > 0) {
        least = left;
        now.radius = r, now.strength = s;
        now.left = tt > 0 ? left / tt : 1;
      }
    }
    // Its middle: of what is missing.
    double sx = 0, sy = 0, sum = 0;
    each(0, 1.3 * now.radius, [&](double dx, double dy, float v) {
      const double t = std::max(0.0, 1 - std::exp2(v - level));
      sx += t * dx, sy += t * dy, sum += t;
    });
    if (sum > 0) now.x += sx / sum, now.y += sy / sum;
    best = now;
  }
  return best;
}

struct Candidate {
  int x, y;
  double radius, depth;
};

std::vector<Candidate> candidates(const Plane& stops) {
  constexpr double kLeast = 0.025;  // stops
  const Sums sums(stops);
  const double most = largest(stops.width);
  std::vector<Candidate> out;
  Plane depth(stops.width, stops.height), size(stops.width, stops.height);
  parallel_rows(stops.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < stops.width; ++x) {
        double best = 0, of = 0;
        for (double r = 1.2; r <= most; r *= 1.35)
          if (const double d = darker(sums, x, y, r); d > best) best = d, of = r;
        depth.at(x, y) = static_cast<float>(best);
        size.at(x, y) = static_cast<float>(of);
      }
  });
  for (int y = 1; y + 1 < stops.height; ++y)
    for (int x = 1; x + 1 < stops.width; ++x) {
      const float d = depth.at(x, y);
      if (d < kLeast) continue;
      bool peak = true;
      for (int j = -1; j <= 1; ++j)
        for (int i = -1; i <= 1; ++i)
          peak &= (i == 0 && j == 0) || depth.at(x + i, y + j) < d ||
                  (depth.at(x + i, y + j) == d && (j > 0 || (j == 0 && i > 0)));
      if (peak) out.push_back({x, y, size.at(x, y), d});
    }
  std::ranges::sort(out, std::greater(), &Candidate::depth);
  return out;
}

// Whether its surroundings are even enough for a shadow to be told at all: most dark places of a
// picture are parts of it.
bool stands_alone(const Plane& stops, const Candidate& c) {
  std::vector<double> ring;
  const double from = 2.2 * c.radius, to = 3.2 * c.radius + 1;
  for (int y = std::max(0, static_cast<int>(c.y - to));
       y <= std::min(stops.height - 1, static_cast<int>(c.y + to) + 1); ++y)
    for (int x = std::max(0, static_cast<int>(c.x - to));
         x <= std::min(stops.width - 1, static_cast<int>(c.x + to) + 1); ++x)
      if (const double d = std::hypot(x - c.x, y - c.y); d >= from && d < to)
        ring.push_back(stops.at(x, y));
  const double level = median_of(ring);
  for (double& v : ring) v = std::fabs(v - level);
  return 1.4826 * median_of(ring) < 0.5 * c.depth;
}

// Frames of each aperture of which there are enough; all together where none has.
std::vector<std::pair<double, std::vector<int>>> groups_of(const Stack& stack) {
  std::vector<std::pair<double, std::vector<int>>> out;
  for (int k = 0; k < std::ssize(stack.apertures); ++k) {
    const double a = stack.apertures[static_cast<std::size_t>(k)];
    auto same = std::ranges::find_if(
        out, [&](const auto& g) { return std::fabs(g.first - a) <= 0.04 * std::max(a, g.first); });
    if (same == out.end()) same = out.insert(out.end(), {a, {}});
    same->second.push_back(k);
  }
  std::erase_if(out, [](const auto& g) { return std::ssize(g.second) < kFewestFrames; });
  if (out.empty()) out.push_back({0, all_of(stack)});
  std::ranges::sort(out, {}, [](const auto& g) { return g.first; });
  return out;
}

// A small part of the medians, of some frames.
Plane part_of(const Stack& stack, const std::vector<Relative>& frames,
              const std::vector<int>& which, int x0, int y0, int w, int h) {
  Plane out(w, h);
  std::vector<std::int16_t> scratch;
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      out.at(x, y) = median_at(frames, which, stack.index(x0 + x, y0 + y), scratch);
  return out;
}

struct Window {
  int x0, y0, w, h;
  Window(const Stack& s, double x, double y, double radius) {
    const int reach = static_cast<int>(std::ceil(3.5 * radius)) + 3;
    x0 = std::max(0, static_cast<int>(x) - reach);
    y0 = std::max(0, static_cast<int>(y) - reach);
    w = std::min(s.width, static_cast<int>(x) + reach + 1) - x0;
    h = std::min(s.height, static_cast<int>(y) + reach + 1) - y0;
  }
};

// How deep it is for some of the frames, its place and size known.
double depth_in(const Stack& stack, const std::vector<Relative>& frames,
                const std::vector<int>& which, const Fit& fit) {
  const Window win(stack, fit.x, fit.y, fit.radius);
  const Plane part = part_of(stack, frames, which, win.x0, win.y0, win.w, win.h);
  std::vector<double> ring;
  double gg = 0, gt = 0;
  for (int pass = 0; pass < 2; ++pass) {
    const double level = median_of(ring);
    for (int y = 0; y < win.h; ++y)
      for (int x = 0; x < win.w; ++x) {
        const double dx = win.x0 + x + 0.5 - fit.x, dy = win.y0 + y + 0.5 - fit.y,
                     d = std::hypot(dx, dy);
        if (pass == 0 && d > 2.1 * fit.radius && d < 2.8 * fit.radius + 1)
          ring.push_back(part.at(x, y));
        if (pass == 1 && d < 2.0 * fit.radius) {
          const double g = profile(dx, dy, fit.radius);
          gg += g * g, gt += g * (1 - std::exp2(part.at(x, y) - level));
        }
      }
  }
  return gg > 0 ? gt / gg : 0;
}

bool is_dust(const Stack& stack, const Fit& fit) {
  constexpr double kLeast = 0.02, kMost = 0.45;
  if (fit.strength < kLeast || fit.strength > kMost || fit.radius < 0.8 ||
      fit.radius > 1.3 * largest(stack.width))
    return false;
  // The better the shadow explains what is there, the less even its surroundings need be.
  const bool even = fit.left < 0.3 && fit.around < 0.22 * fit.strength,
             plain = fit.left < 0.15 && fit.around < 0.5 * fit.strength;
  if (!even && !plain) return false;
  // Of no colour.
  const auto all = all_of(stack);
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
    for (int f : part) known += stack.frames[static_cast<std::size_t>(f)][i] != kNotKnown;
    if (known < 5) continue;
    const double here = depth_in(stack, stack.frames, part, fit);
    differ += here < 0.65 * fit.strength - 0.006 || here > 1.4 * fit.strength + 0.006;
  }
  return differ <= 1;
}

std::vector<Shadow> shadows_of(const Stack& stack, const Fit& all) {
  std::vector<Shadow> out;
  for (const auto& [aperture, frames] : groups_of(stack)) {
    Fit fit = all;
    if (frames.size() < stack.frames.size()) {
      const Window win(stack, all.x, all.y, all.radius);
      fit = fit_shadow(part_of(stack, stack.frames, frames, win.x0, win.y0, win.w, win.h),
                       all.x - win.x0, all.y - win.y0, all.radius);
    }
    out.push_back({aperture, fit.radius / (stack.width * stack.covered), fit.strength});
  }
  return out;
}

}  // namespace

DustMap map_dust(const std::vector<DustFrame>& frames, const Work& work) {
  DustMap out;
  const Stack stack = read_stack(frames, work);
  if (work.stop() || std::ssize(stack.frames) < kFewestToFind) return out;
  out.stops = medians(stack, stack.frames, all_of(stack));
  std::vector<Fit> found;
  for (const Candidate& c : candidates(out.stops)) {
    auto near = [&](const Fit& f) {
      return std::hypot(f.x - c.x - 0.5, f.y - c.y - 0.5) < 2.5 * std::max(f.radius, c.radius);
    };
    if (std::ranges::any_of(found, near) || !stands_alone(out.stops, c)) continue;
    const Fit fit = fit_shadow(out.stops, c.x + 0.5, c.y + 0.5, 1.2 * c.radius);
    if (std::hypot(fit.x - c.x - 0.5, fit.y - c.y - 0.5) > 1.5 * c.radius + 1 ||
        !is_dust(stack, fit))
      continue;
    found.push_back(fit);
    out.spots.push_back(
        {{fit.x / (stack.width * stack.covered), fit.y / stack.height}, shadows_of(stack, fit)});
  }
  std::ranges::sort(out.spots, std::greater(), &DustSpot::strength);
  return out;
}

std::vector<DustSpot> find_dust(const std::vector<DustFrame>& frames, const Work& work) {
  return map_dust(frames, work).spots;
}

std::vector<Shadow> measure_shadow(const std::vector<DustFrame>& frames, const Point& at,
                                   double radius, const Work& work) {
  const Stack stack = read_stack(frames, work);
  if (work.stop() || std::ssize(stack.frames) < kFewestFrames) return {};
  const double x = at.x * stack.width * stack.covered, y = at.y * stack.height,
               r = std::max(1.0, radius * stack.width * stack.covered);
  const Window win(stack, x, y, 2 * r);
  const Plane part = part_of(stack, stack.frames, all_of(stack), win.x0, win.y0, win.w, win.h);
  Fit fit = fit_shadow(part, x - win.x0, y - win.y0, r);
  if (fit.strength <= 0 || std::hypot(fit.x + win.x0 - x, fit.y + win.y0 - y) > 2 * r) return {};
  fit.x += win.x0, fit.y += win.y0;
  return shadows_of(stack, fit);
}

}  // namespace tsukimi
