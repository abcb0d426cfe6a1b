// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/night.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi::sim {
namespace {

constexpr double kFocal = 28.0 / 36, kDay = 86164.0905;
constexpr int kWidth = 1500;            // at which light is as the constants say
constexpr float kClipping = 1.786e-5f;  // scene light that clips at 15 s, ISO 1600 and f/2.8
constexpr double kFaintest = 7.3;

double unit(std::uint32_t seed, int i, int what) {
  return static_cast<double>(unit_hash(i, what, seed * 747u + 11u));
}

Ray unit_ray(Ray v) {
  const double n = std::hypot(v[0], v[1], v[2]);
  return {v[0] / n, v[1] / n, v[2] / n};
}

// Of a black body, roughly, of the same light in green: from orange to blue.
Rgb star_colour(double t) {  // 0..1
  constexpr Rgb kColours[] = {
      {1.7f, .9f, .45f}, {1.25f, 1, .8f}, {1, 1, 1.05f}, {.8f, .98f, 1.45f}};
  const double at = t * 3;
  const int i = std::min(static_cast<int>(at), 2);
  return lerp(kColours[i], kColours[i + 1], static_cast<float>(at - i));
}

void put(Image& image, int x, int y, Rgb light) {
  if (x < 0 || y < 0 || x >= image.width || y >= image.height) return;
  image.planes[0].at(x, y) += light.r;
  image.planes[1].at(x, y) += light.g;
  image.planes[2].at(x, y) += light.b;
}

// A point's light as the lens draws it.
void put_point(Image& image, const Plane& open, double x, double y, Rgb light, double wide) {
  const int reach = static_cast<int>(std::ceil(3.5 * wide));
  const int cx = static_cast<int>(std::lround(x)), cy = static_cast<int>(std::lround(y));
  if (cx < -reach || cy < -reach || cx >= image.width + reach || cy >= image.height + reach) return;
  const double per = 1 / (2 * std::numbers::pi * wide * wide);
  // Land hides the star, not single pixels of its picture.
  const int ox = std::clamp(cx, 0, image.width - 1), oy = std::clamp(cy, 0, image.height - 1);
  const float seen = open.at(ox, oy);
  if (seen <= 0) return;
  for (int j = cy - reach; j <= cy + reach; ++j)
    for (int i = cx - reach; i <= cx + reach; ++i) {
      const double d = (i - x) * (i - x) + (j - y) * (j - y);
      put(image, i, j, light * (seen * static_cast<float>(per * std::exp(-d / (2 * wide * wide)))));
    }
}

}  // namespace

NightSky::NightSky(Size size, const NightOptions& o, std::uint32_t seed, double length,
                   double interval, int margin)
    : size_(size), options_(o), seed_(seed), length_(length), interval_(interval) {
  const double frame_w = size.width - 2 * margin, frame_h = size.height - 2 * margin;
  lens_ = {kFocal * frame_w / size.width, 0, static_cast<double>(size.width) / size.height};
  pole_ = lens_.ray(
      {(o.pole_x * frame_w + margin) / size.width, (o.pole_y * frame_h + margin) / size.height});
  // Every magnitude three times as many; there are about 9,000 down to 6.5.
  const int all = static_cast<int>(9000 * std::pow(3, kFaintest - 6.5));
  const double scale = static_cast<double>(size.width) / kWidth;
  for (int i = 0; i < all; ++i) {
    Star s;
    const double z = 2 * unit(seed, i, 1) - 1, turn = 2 * std::numbers::pi * unit(seed, i, 2),
                 r = std::sqrt(1 - z * z);
    s.at = {r * std::cos(turn), r * std::sin(turn), z};
    const double magnitude = kFaintest + std::log(std::max(unit(seed, i, 3), 1e-4)) / std::log(3.0);
    s.light = static_cast<float>(kClipping * 0.16 * std::pow(10, -0.4 * (magnitude - kFaintest)) *
                                 scale * scale);
    s.colour = star_colour(unit(seed, i, 4));
    stars_.push_back(s);
  }
  std::ranges::stable_sort(stars_, std::greater(), &Star::light);
  if (o.stars > 0) {  // of those that are in sight in the middle, the brightest
    std::erase_if(stars_, [&](const Star& s) {
      const Point p = star_at(s, length / 2);
      return p.x < 0.05 || p.x > 0.95 || p.y < 0.05 || p.y > 0.4;
    });
    if (stars_.size() > static_cast<std::size_t>(o.stars))
      stars_.resize(static_cast<std::size_t>(o.stars));
  }
  const double w = size.width, h = size.height;
  auto cross = [&](int i, bool plane) {
    const double takes = plane ? 1.6 * interval : 5 * interval,
                 from = (0.1 + 0.75 * unit(seed, i, plane ? 6 : 5)) * length,
                 up = (0.05 + 0.3 * unit(seed, i, 7)) * h,
                 down = (0.05 + 0.3 * unit(seed, i, 8)) * h;
    const bool left = unit(seed, i, 9) < 0.5;
    crossings_.push_back({from, from + takes, left ? -20 : w + 20, up, left ? w + 20 : -20, down,
                          static_cast<float>(kClipping * (plane ? 2.5 : 0.5) * scale), plane});
  };
  for (int i = 0; i < o.planes; ++i) cross(i, true);
  for (int i = 0; i < o.satellites; ++i) cross(100 + i, false);
  for (int i = 0; i < o.lamps; ++i)
    lamps_.push_back(std::floor((0.15 + 0.7 * unit(seed, i, 10)) * length / interval) * interval);
}

double NightSky::turn(double seconds) const {
  return (options_.backwards ? -1 : 1) * 2 * std::numbers::pi * seconds / kDay;
}

Point NightSky::star_at(const Star& star, double seconds) const {
  const Ray now = turned(rotation_about(pole_, turn(seconds)), star.at);
  return now[2] > 0.05 ? lens_.seen(now) : Point{-9, -9};
}

double NightSky::clear(double seconds) const {
  const auto at = static_cast<float>(length_ > 0 ? seconds / length_ : 0);
  const auto from = static_cast<float>(options_.bank_from),
             to = static_cast<float>(options_.bank_to);
  if (!(to > from)) return 1;
  constexpr float kEdge = 0.04f;
  return 1 - smoothstep(from - kEdge, from + kEdge, at) * smoothstep(to + kEdge, to - kEdge, at);
}

void NightSky::add_stars(Image& scene, const Plane& open, double seconds, double exposure) const {
  constexpr double kApart = 0.4, kWide = 0.8;  // px
  const double clouds = clear(seconds), wide = kWide * std::max(1.0, size_.width / 3000.0);
  for (const Star& s : stars_) {
    const Point a = star_at(s, seconds), b = star_at(s, seconds + exposure);
    if (a.x < -0.1 || a.x > 1.1 || a.y < -0.1 || a.y > 1.1) continue;
    const double way = std::hypot((b.x - a.x) * size_.width, (b.y - a.y) * size_.height);
    const int n = 1 + static_cast<int>(way / kApart);
    const Rgb light = s.colour * (s.light * static_cast<float>(clouds) / static_cast<float>(n));
    for (int i = 0; i < n; ++i) {
      const Point p = star_at(s, seconds + exposure * (i + 0.5) / n);
      put_point(scene, open, p.x * size_.width - 0.5, p.y * size_.height - 0.5, light, wide);
    }
  }
}

// The Milky Way, aurora, the moon's and the clouds' light.
void NightSky::add_glow(Image& scene, const Plane& open, double seconds) const {
  const Ray band = unit_ray({0.75, 0.55, 0.35});  // the pole of its great circle, in the sky
  const Rotation back = rotation_about(pole_, -turn(seconds));
  const auto clouds = static_cast<float>(1 - clear(seconds));
  const auto at = static_cast<float>(length_ > 0 ? seconds / length_ : 0);
  const float moon = options_.moonset ? smoothstep(0.75f, 0.05f, at) : 0;
  // It goes with the stars, into the sea.
  const Point moon_at = star_at({lens_.ray({0.87, 0.36}), 0, {}}, seconds);
  parallel_rows(scene.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < scene.width; ++x) {
        const Point p{(x + 0.5) / scene.width, (y + 0.5) / scene.height};
        const auto u = static_cast<float>(p.x), v = static_cast<float>(p.y);
        Rgb light;
        const float share = open.at(x, y);
        if (share > 0) {
          const Ray r = turned(back, lens_.ray(p));
          const auto off = static_cast<float>(r[0] * band[0] + r[1] * band[1] + r[2] * band[2]);
          const float milk = std::exp(-off * off / 0.028f);
          if (milk > 0.02f && clouds < 1) {
            const auto a = static_cast<float>(r[0]), b = static_cast<float>(r[1] + 2 * r[2]);
            const float dust = fbm(9 * a + 40, 9 * b + 40, 4, seed_ + 501u);
            light = light +
                    Rgb{1.0f, .95f, .98f} * (kClipping * 0.10f * milk * dust * dust * (1 - clouds));
          }
          if (options_.aurora) {
            const auto s = static_cast<float>(seconds);
            const float fold = 0.30f + 0.10f * (fbm(3 * u + 0.004f * s, 7, 3, seed_ + 511u) - 0.5f);
            const float rays = fbm(26 * u + 0.02f * s, 0.01f * s, 3, seed_ + 512u);
            const float rise = fold - v;
            const float curtain = rise < 0 ? std::exp(rise * 40) : std::exp(-rise * 9);
            light = light + Rgb{.25f, 1, .5f} * (kClipping * 0.45f * curtain * rays * rays);
          }
          const float cover =
              clouds * (0.7f + 0.6f * fbm(4 * u - 0.0006f * static_cast<float>(seconds), 6 * v, 4,
                                          seed_ + 521u));
          light = light + Rgb{.9f, .8f, .7f} * (kClipping * 0.08f * cover);
        }
        if (moon > 0) {
          const auto dx = static_cast<float>(p.x - moon_at.x),
                     dy = static_cast<float>((p.y - moon_at.y) / lens_.aspect);
          const float d = std::hypot(dx, dy);
          const float disc = smoothstep(0.0048f, 0.0040f, d) * 4 + 0.12f * std::exp(-d / 0.05f);
          light = light + Rgb{1, .93f, .82f} * (kClipping * moon * (disc + 0.03f));
        }
        put(scene, x, y, light * share);
      }
  });
  // What the moon shines on.
  if (moon > 0)
    parallel_rows(scene.height, [&](int y0, int y1) {
      for (auto& plane : scene.planes)
        for (int y = y0; y < y1; ++y)
          for (int x = 0; x < scene.width; ++x)
            plane.at(x, y) *= 1 + 0.8f * moon * (1 - open.at(x, y));
    });
}

void NightSky::add_crossings(Image& scene, const Plane& open, double seconds,
                             double exposure) const {
  for (const Crossing& c : crossings_) {
    const double begin = std::max(seconds, c.from), end = std::min(seconds + exposure, c.until);
    if (begin >= end) continue;
    const double way = std::hypot(c.x1 - c.x0, c.y1 - c.y0) / (c.until - c.from);  // px a second
    const int n = std::max(1, static_cast<int>((end - begin) * way / 0.6));
    for (int i = 0; i < n; ++i) {
      const double t = begin + (end - begin) * (i + 0.5) / n,
                   at = (t - c.from) / (c.until - c.from);
      // A plane shows steady lamps and flashes once a second.
      const bool flash = c.strobes && std::fmod(t, 1.0) < 0.05;
      const Rgb colour = flash       ? Rgb{6, 6, 6}
                         : c.strobes ? Rgb{.5f, .25f, .2f}
                                     : Rgb{.6f, .6f, .6f};
      put_point(scene, open, c.x0 + at * (c.x1 - c.x0), c.y0 + at * (c.y1 - c.y0),
                colour * (c.light * 0.6f), 0.9);
    }
  }
  for (double lamp : lamps_) {
    if (lamp < seconds - 0.5 || lamp > seconds + exposure) continue;
    // Over the quay, and into the haze above it.
    parallel_rows(scene.height, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < scene.width; ++x) {
          const float u = (x + 0.5f) / static_cast<float>(scene.width) - 0.3f,
                      v = (y + 0.5f) / static_cast<float>(scene.height) - 0.62f;
          const float near = std::exp(-(u * u / 0.02f + v * v / 0.03f));
          for (auto& plane : scene.planes) plane.at(x, y) *= 1 + 5 * near;
          put(scene, x, y, Rgb{1, .9f, .7f} * (kClipping * 0.05f * near));
        }
    });
  }
}

void NightSky::add(Image& scene, const Plane& open, double seconds, double exposure) const {
  add_glow(scene, open, seconds);
  add_stars(scene, open, seconds, exposure);
  add_crossings(scene, open, seconds, exposure);
}

}  // namespace tsukimi::sim
