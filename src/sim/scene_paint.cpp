// SPDX-License-Identifier: GPL-3.0-or-later
// What each point of the harbour is made of. From the front to the back: the first thing met
// covers.
#include <algorithm>
#include <array>
#include <cmath>

#include "sim/village.h"

namespace tsukimi::sim {
namespace {

float segment_distance(float x, float y, float ax, float ay, float bx, float by, float& along) {
  const float dx = bx - ax, dy = by - ay;
  along = std::clamp(((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy), 0.0f, 1.0f);
  return std::hypot(x - ax - along * dx, y - ay - along * dy);
}

// A beam of trusswork: two chords and zigzag bracing.
bool on_truss(float x, float y, float ax, float ay, float bx, float by, float half, float chord) {
  float along = 0;
  const float d = segment_distance(x, y, ax, ay, bx, by, along);
  if (d > half + chord) return false;
  if (std::fabs(d - half) < chord) return true;
  const float length = std::hypot(bx - ax, by - ay);
  const float side = (x - ax) * (by - ay) - (y - ay) * (bx - ax) > 0 ? d : -d;
  const float cell = std::fmod(along * length / (2 * half), 2.0f);
  const float zig = (cell < 1 ? cell : 2 - cell) * 2 - 1;  // -1..1 and back
  return std::fabs(side - zig * half) < chord * 0.9f;
}

bool on_crane(const Crane& c, float x, float y) {
  const float s = c.scale;
  if (x < c.x - 0.09f || x > c.x + 0.16f || y > c.foot) return false;
  float along = 0;
  // Portal, tower, boom, jib strut, stays, counterweight, cab, hook.
  if (segment_distance(x, y, c.x - 0.020f * s, c.foot, c.x - 0.011f * s, c.pivot + 0.055f * s,
                       along) < 0.0022f * s)
    return true;
  if (segment_distance(x, y, c.x + 0.020f * s, c.foot, c.x + 0.011f * s, c.pivot + 0.055f * s,
                       along) < 0.0022f * s)
    return true;
  if (std::fabs(x - c.x) < 0.017f * s && std::fabs(y - c.pivot - 0.055f * s) < 0.0024f * s)
    return true;
  if (on_truss(x, y, c.x, c.pivot + 0.055f * s, c.x, c.pivot, 0.0065f * s, 0.0010f * s))
    return true;
  if (on_truss(x, y, c.x, c.pivot, c.tip_x, c.tip_y, 0.0050f * s, 0.0009f * s)) return true;
  const float back = c.tip_x > c.x ? -1.0f : 1.0f;
  const float top_x = c.x + back * 0.012f * s, top_y = c.pivot - 0.055f * s;
  if (segment_distance(x, y, c.x, c.pivot, top_x, top_y, along) < 0.0016f * s) return true;
  if (segment_distance(x, y, top_x, top_y, c.tip_x, c.tip_y, along) < 0.0006f * s) return true;
  if (segment_distance(x, y, top_x, top_y, c.x + back * 0.042f * s, c.pivot + 0.004f, along) <
      0.0007f * s)
    return true;
  if (std::fabs(x - c.x - back * 0.030f * s) < 0.016f * s &&
      std::fabs(y - c.pivot - 0.006f * s) < 0.0075f * s)
    return true;
  if (std::fabs(x - c.x + back * 0.010f * s) < 0.0065f * s &&
      std::fabs(y - c.pivot - 0.004f * s) < 0.0075f * s)
    return true;
  const float hook = c.tip_y + 0.13f * s;
  if (std::fabs(x - c.tip_x) < 0.0005f && y > c.tip_y && y < hook) return true;
  return std::hypot(x - c.tip_x, y - hook) < 0.0028f * s;
}

float street_light(float x, float y, const Village& v) {
  float sum = 0;
  for (const auto& l : v.lamps) {
    if (l.beacon || l.strength < 0.03f) continue;
    const float d2 = (x - l.x) * (x - l.x) + (y - l.y - 0.012f) * (y - l.y - 0.012f);
    sum += 0.010f * l.strength / 0.1f / (1 + d2 / (0.016f * 0.016f));
  }
  return sum;
}

// Coursed stone: tone per block, dark joints.
float masonry(float x, float y, float course, float length, std::uint32_t seed, float& joint) {
  const float row = std::floor(y / course);
  const float shift =
      0.5f * std::fmod(std::fabs(row), 2.0f) + 0.17f * unit_hash(static_cast<int>(row), 3, seed);
  const float column = std::floor(x / length + shift);
  const float fx = x / length + shift - column, fy = y / course - row;
  const float edge = std::min(std::min(fx, 1 - fx) * length, std::min(fy, 1 - fy) * course);
  joint = 1 - smoothstep(0.0002f, 0.0011f, edge);
  return 0.72f + 0.5f * unit_hash(static_cast<int>(row), static_cast<int>(column), seed + 9);
}

float ridge_of_hill(float x) {
  const float a = (x - 0.30f) / 0.40f, b = (x - 0.83f) / 0.20f;
  return 0.512f - 0.285f * std::exp(-a * a) - 0.092f * std::exp(-b * b) +
         0.030f * (fbm(x * 5, 0.3f, 4, 21) - 0.5f) + 0.010f * (fbm(x * 38, 1.7f, 4, 22) - 0.5f);
}

Surface hill(float x, float y, float ridge, std::uint32_t seed) {
  Surface s;
  s.cover = 1;
  const float down = (y - ridge) / (0.54f - ridge);  // 0 at the ridge, 1 at the foot
  const float sx = x * 7, sy = y * 15;
  auto height = [&](float px, float py) {
    return fbm(px, py, 6, seed + 31) + 0.35f * fbm(px * 4.2f, py * 4.2f, 4, seed + 32);
  };
  const float e = 0.02f, h = height(sx, sy);
  const float slope_x = (height(sx + e, sy) - h) / e, slope_y = (height(sx, sy + e) - h) / e;
  s.sun = std::clamp(0.40f + 0.62f * slope_x - 0.20f * slope_y, 0.02f, 1.6f);
  s.sky = std::clamp(0.85f + 0.30f * (h - 0.68f) - 0.06f * std::fabs(slope_y), 0.35f, 1.0f);
  const float patch = fbm(x * 11 + 4, y * 19, 4, seed + 33),
              fine = fbm(x * 150, y * 210, 3, seed + 34);
  Rgb c = lerp(Rgb{.105f, .160f, .045f}, Rgb{.200f, .175f, .070f}, smoothstep(0.40f, 0.62f, patch));
  c = lerp(c, Rgb{.135f, .085f, .075f},
           0.7f * smoothstep(0.52f, 0.66f, fbm(x * 17, y * 23 + 9, 4, seed + 35)));
  const float rock = smoothstep(0.62f, 0.76f, h * 0.75f + 0.25f * fine - 0.10f * down);
  c = lerp(c, Rgb{.25f, .235f, .21f}, rock);
  // Field walls on the lower slopes.
  const float warp = fbm(x * 6, y * 10, 3, seed + 36);
  const float fx = x * 15 + 2.4f * warp, fy = y * 34 + 2.2f * warp + 0.5f * x;
  const float line =
      std::min(std::fabs(fx - std::round(fx)) / 15, std::fabs(fy - std::round(fy)) / 34);
  if (down > 0.25f && down < 0.9f) {
    c = c * (0.78f + 0.44f * unit_hash(static_cast<int>(std::round(fx - 0.5f)),
                                       static_cast<int>(std::round(fy - 0.5f)), seed + 37));
    if (line < 0.0016f) c = Rgb{.17f, .16f, .145f} * (0.7f + 0.6f * fine);
  }
  // Woods gather towards the foot.
  const float wood = fbm(x * 21, y * 30, 4, seed + 38) + 0.12f * down;
  if (wood > 0.60f) {
    const float crown = fbm(x * 120, y * 150, 3, seed + 39);
    c = lerp(c, Rgb{.035f, .062f, .024f} * (0.4f + 1.3f * crown), smoothstep(0.60f, 0.63f, wood));
    s.sun *= 0.45f + 0.9f * crown;
    s.sky *= 0.5f + 0.5f * crown;
  }
  s.albedo = c * (0.70f + 0.6f * fine);
  s.haze = 0.16f - 0.09f * down;
  return s;
}

bool house_at(const House& h, float x, float y, Surface& s, std::uint32_t seed) {
  if (x < h.x0 - 0.003f || x > h.x1 + 0.003f || y > h.foot || y < h.top - h.roof - 0.012f)
    return false;
  const float width = h.x1 - h.x0;
  if (h.chimney > 0 && x > h.chimney && x < h.chimney + 0.004f && y > h.top - h.roof - 0.007f &&
      y < h.top) {
    s = {Rgb{.26f, .15f, .11f} * (0.8f + 0.4f * fbm(x * 900, y * 900, 2, seed)),
         0.8f,
         0.9f,
         0,
         0.05f,
         1};
    return true;
  }
  const float up = (h.top - y) / h.roof;  // 0 at the eaves, 1 at the ridge
  const float inset = h.gable ? up * width / 2 : up * 0.004f - 0.002f;
  if (y < h.top) {
    if (up > 1 || x < h.x0 + inset || x > h.x1 - inset) return false;
    if (!h.gable) {
      const float course = std::fmod(y * 1100, 1.0f);
      const float tone =
          0.75f +
          0.35f * unit_hash(static_cast<int>(x * 700), static_cast<int>(y * 1100), seed + 41) +
          (course < 0.25f ? -0.2f : 0.0f);
      s = {h.tiles * tone, 0.55f, 0.95f, 0, 0.05f, 1};
      return true;
    }
  }
  if (x < h.x0 || x > h.x1) return false;
  const float stain = fbm(x * 260, y * 90, 3, seed + 42),
              grain = fbm(x * 800, y * 800, 2, seed + 43);
  s = {h.wall * (0.66f + 0.45f * stain + 0.2f * grain),
       0.30f + 0.25f * unit_hash(static_cast<int>(h.x0 * 1e4f), 1, seed),
       0.72f,
       0,
       0.05f,
       1};
  if (h.gable && y < h.top && up > 0.86f) s.albedo = h.tiles;
  if (h.top - y < 0.0014f && h.top - y > 0) s.albedo = s.albedo * 0.5f;  // shadow under the eaves
  return true;
}

void glaze(float x, float y, const Village& v, Surface& s) {
  for (const auto& w : v.windows) {
    const float frame = 0.0008f;
    if (x < w.x0 - frame || x > w.x1 + frame || y < w.y0 - frame || y > w.y1 + frame) continue;
    const bool glass = x > w.x0 && x < w.x1 && y > w.y0 && y < w.y1 &&
                       std::fabs(x - (w.x0 + w.x1) / 2) > 0.0003f &&
                       std::fabs(y - (w.y0 + w.y1) / 2) > 0.0003f;
    s.albedo = glass ? Rgb{.03f, .035f, .04f} : Rgb{.42f, .41f, .39f};
    if (glass) s.sun *= 0.3f;
    return;
  }
}

bool lighthouse(float x, float y, Surface& s, std::uint32_t seed) {
  const float dx = x - kLighthouseX;
  const float top = 0.322f;
  if (y > kLighthouseFoot + 0.004f || y < kLanternY - 0.016f || std::fabs(dx) > 0.022f)
    return false;
  const float t = (y - top) / (kLighthouseFoot - top);
  float radius = 0;
  Rgb paint{.62f, .61f, .58f};
  if (y > top) {
    radius = 0.0088f + 0.0062f * t * t + 0.001f * t;
    if (t > 0.36f && t < 0.62f) paint = {.40f, .055f, .04f};
    const float gallery = std::fabs(y - top - 0.003f);
    if (gallery < 0.0016f) radius = 0.0125f, paint = {.20f, .20f, .20f};
    if (std::fabs(dx + 0.002f) < 0.0016f &&
        (std::fabs(t - 0.26f) < 0.018f || std::fabs(t - 0.80f) < 0.018f))
      paint = {.03f, .03f, .035f};
  } else if (y > kLanternY - 0.007f) {
    radius = 0.0062f;
    paint = std::fmod(std::fabs(dx) * 1000, 3.0f) < 0.5f ? Rgb{.12f, .12f, .12f}
                                                         : Rgb{.22f, .25f, .26f};
  } else {
    radius = 0.0066f * (1 - std::pow((kLanternY - 0.007f - y) / 0.0085f, 2.0f));
    paint = {.34f, .07f, .05f};
  }
  if (std::fabs(dx) > radius) return false;
  const float nx = dx / radius;
  const float weather = 0.78f + 0.34f * fbm(x * 500, y * 120, 3, seed + 51);
  s = {paint * weather,
       std::clamp(0.30f - 0.75f * nx, 0.03f, 1.2f),
       0.75f + 0.25f * std::sqrt(1 - nx * nx),
       0,
       0.04f,
       1};
  return true;
}

bool headland(float x, float y, Surface& s, std::uint32_t seed) {
  if (x < 1.10f || y > kQuayFoot) return false;
  const float a = (x - 1.33f) / 0.105f;
  const float ridge = 0.524f - 0.050f * std::exp(-a * a) +
                      0.016f * (fbm(x * 24, 7.0f, 5, seed + 55) - 0.5f) +
                      smoothstep(1.2f, 1.10f, x) * 0.06f;
  const float foot =
      0.540f + 0.016f * fbm(x * 30, 2.0f, 4, seed + 56) - smoothstep(1.22f, 1.10f, x) * 0.03f;
  if (y < ridge || y > foot) return false;
  const float crag = fbm(x * 46, y * 88, 6, seed + 57), e = 0.03f;
  const float slope = (fbm(x * 46 + e, y * 88, 6, seed + 57) - crag) / e;
  const float grass = smoothstep(0.020f, 0.004f, y - ridge) *
                      smoothstep(0.35f, 0.55f, fbm(x * 60, y * 60, 3, seed + 58));
  const float wet = smoothstep(0.533f, 0.543f, y);
  Rgb c = lerp(Rgb{.21f, .185f, .16f} * (0.35f + 1.2f * crag), Rgb{.12f, .14f, .05f}, grass);
  c = lerp(c, Rgb{.045f, .05f, .035f}, 0.8f * wet);
  s = {c, std::clamp(0.32f - 0.22f * slope, 0.0f, 1.2f), 0.55f + 0.5f * crag, 0, 0.06f, 1};
  return true;
}

bool quay_wall(float x, float y, Surface& s, const Village& v, std::uint32_t seed) {
  if (x > 1.075f || y < kQuayTop || y > kQuayFoot) return false;
  float joint = 0;
  const float tone = masonry(x, y, 0.0098f, 0.0235f, seed + 61, joint);
  const float grain = fbm(x * 420, y * 420, 3, seed + 62),
              streak = fbm(x * 110, y * 9, 3, seed + 63);
  Rgb c = Rgb{.255f, .235f, .205f} * (tone * (0.62f + 0.5f * grain) * (0.75f + 0.5f * streak));
  if (y < kQuayTop + 0.0042f) c = Rgb{.36f, .34f, .31f} * (0.8f + 0.4f * grain);  // coping
  c = lerp(c, Rgb{.06f, .055f, .05f}, 0.75f * joint);
  const float weed =
      smoothstep(kHighWater - 0.004f, kHighWater + 0.010f, y + 0.006f * (streak - 0.5f));
  c = lerp(c, Rgb{.045f, .060f, .030f} * (0.5f + grain), 0.85f * weed);
  const float post = std::fabs(std::fmod(x + 0.03f, 0.115f) - 0.0575f);
  if (post < 0.0026f && y > kQuayTop + 0.004f)
    c = Rgb{.05f, .045f, .04f} * (0.6f + 0.8f * grain);  // fenders
  s = {c, 0.26f * (0.8f + 0.4f * grain), 0.7f, street_light(x, y, v), 0.05f, 1};
  return true;
}

}  // namespace

Surface paint_back(float x, float y, const Village& v, std::uint32_t seed) {
  Surface s;
  if (y > kQuayFoot) return s;
  for (const auto& c : v.cranes)
    if (on_crane(c, x, y)) {
      const float rust = fbm(x * 300, y * 300, 3, seed + 71);
      return {
          lerp(c.paint, Rgb{.16f, .09f, .06f}, smoothstep(0.5f, 0.7f, rust)) * (0.7f + 0.6f * rust),
          0.55f,
          0.8f,
          0.02f,
          0.05f,
          1};
    }
  for (const auto& l : v.lamps)  // posts of the quay lamps
    if (!l.beacon && l.strength == 0.10f && std::fabs(x - l.x) < 0.0008f && y > l.y && y < kQuayTop)
      return {{.06f, .065f, .065f}, 0.4f, 0.8f, 0.02f, 0.04f, 1};
  if (quay_wall(x, y, s, v, seed)) return s;
  for (const auto& h : v.houses)
    if (house_at(h, x, y, s, seed)) {
      if (y > h.top) glaze(x, y, v, s);
      s.lamp = street_light(x, y, v);
      return s;
    }
  if (lighthouse(x, y, s, seed)) return s;
  if (headland(x, y, s, seed)) return s;
  const float ridge = ridge_of_hill(x);
  if (y > ridge && y < 0.535f && x < 1.09f) {
    s = hill(x, y, ridge, seed);
    s.lamp = 0.5f * street_light(x, y, v);
    return s;
  }
  // Islands far out.
  const float far = 0.4995f - 0.020f * fbm(x * 7 + 2, 0.5f, 4, seed + 81) *
                                  smoothstep(1.02f, 1.16f, x) * smoothstep(1.62f, 1.36f, x);
  if (y > far && y < kHorizon + 0.001f && x > 1.0f)
    return {{.10f, .11f, .11f}, 0.2f, 0.8f, 0, 0.62f, 1};
  return s;
}

float pier_depth(float x, float y) { return y - (0.815f + 0.30f * x); }

Surface paint_front(float x, float y, std::uint32_t seed) {
  Surface s;
  // Lamp post on the near pier.
  const float post = 0.112f;
  const float thick = y > 0.86f ? 0.0068f : 0.0026f + 0.0016f * (y - 0.34f);
  const bool lantern = std::fabs(x - post) < 0.0105f * (1 - 0.35f * (y - 0.318f) / 0.04f) &&
                       y > 0.322f && y < 0.358f;
  const bool cap =
      std::fabs(x - post) < 0.013f * (y - 0.305f) / 0.017f && y > 0.305f && y <= 0.322f;
  if ((std::fabs(x - post) < thick && y > 0.35f && y < 0.905f) || cap ||
      (lantern && (std::fabs(x - post) > 0.0075f || y > 0.355f))) {
    const float across = std::clamp((x - post) / thick, -1.0f, 1.0f);
    return {
        Rgb{.035f, .042f, .040f}, std::clamp(0.3f + 0.8f * across, 0.0f, 1.2f), 0.8f, 0.004f, 0, 1};
  }
  if (lantern) return {{.30f, .30f, .28f}, 0.5f, 1.0f, 0.04f, 0, 0.55f};
  const float pool = [&] {
    const float dx = (x - 0.15f) / 0.20f, dy = (y - 0.915f) / 0.085f;
    return 0.045f / (1 + 2.4f * (dx * dx + dy * dy));
  }();
  // Iron bollards.
  for (const auto [bx, by, k] :
       {std::array{0.285f, 0.945f, 1.15f}, std::array{0.075f, 0.858f, 0.75f}}) {
    const float dx = (x - bx) / k, dy = (y - by) / k;
    const float waist = 0.0175f + 0.009f * smoothstep(0.012f, 0.0f, std::fabs(dy + 0.043f)) +
                        0.010f * smoothstep(-0.012f, 0.004f, dy);
    if (dy > -0.055f && dy < 0.006f + 0.005f * (1 - dx * dx / (waist * waist)) &&
        std::fabs(dx) < waist) {
      const float across = dx / waist, rust = fbm(x * 260, y * 200, 4, seed + 91);
      return {
          lerp(Rgb{.050f, .048f, .046f}, Rgb{.17f, .075f, .035f}, smoothstep(0.48f, 0.68f, rust)) *
              (0.6f + 0.7f * rust),
          std::clamp(0.25f + 0.75f * across + (dy < -0.046f ? 0.5f : 0.0f), 0.02f, 1.2f),
          0.8f,
          pool * 0.9f,
          0,
          1};
    }
  }
  const float depth = pier_depth(x, y);
  if (depth <= 0) return s;
  const float z = 0.30f / (y - 0.42f);  // distance on the ground
  const float u = (x - 0.75f) * z * 2.1f, w = z * 6.0f + 0.9f * u;
  s.cover = 1;
  const float grain = fbm(x * 330, y * 330, 4, seed + 92), blotch = fbm(u * 3, w * 2, 4, seed + 93);
  if (depth < 0.036f) {  // coping stones along the edge
    const float run = x * 1.04f + y * 0.25f;
    const float at = run / 0.105f, joint = std::fabs(at - std::round(at)) * 0.105f;
    const float tone =
        0.75f + 0.4f * unit_hash(static_cast<int>(std::floor(at + 0.5f)), 8, seed + 94);
    s.albedo = Rgb{.31f, .285f, .25f} * (tone * (0.55f + 0.6f * grain));
    if (joint < 0.0012f) s.albedo = s.albedo * 0.3f;
    s.albedo = s.albedo * (0.55f + 0.45f * smoothstep(0.0f, 0.006f, depth)) *
               (1 - 0.6f * smoothstep(0.033f, 0.036f, depth));
    s.sun = 0.42f + 0.5f * (grain - 0.5f);
  } else {  // setts
    const float rows = w * 8.5f, row = std::floor(rows);
    const float columns =
        u * 16 + 0.5f * std::fmod(row, 2.0f) + 0.2f * unit_hash(static_cast<int>(row), 5, seed);
    const float column = std::floor(columns);
    const float fx = columns - column - 0.5f, fy = rows - row - 0.5f;
    const float dome =
        1 -
        smoothstep(0.30f, 0.50f, std::max(std::fabs(fx), std::fabs(fy)) + 0.10f * (grain - 0.5f));
    const float tone =
        0.65f + 0.6f * unit_hash(static_cast<int>(column), static_cast<int>(row), seed + 95);
    s.albedo = Rgb{.205f, .192f, .178f} * (tone * (0.35f + 0.65f * dome) * (0.6f + 0.6f * grain));
    s.sun = std::clamp(0.10f + 0.52f * dome - 0.5f * fx * dome, 0.0f, 1.2f);
    s.sky = 0.45f + 0.5f * dome;
  }
  const float puddle = smoothstep(0.60f, 0.66f, blotch);
  s.albedo = s.albedo * (1 - 0.55f * puddle);
  s.sky += 0.25f * puddle;
  s.lamp = pool;
  // A coil of rope.
  const float cx = (x - 0.182f) / 0.036f, cy = (y - 0.957f) / 0.013f,
              r = std::sqrt(cx * cx + cy * cy);
  if (r < 1 && r > 0.22f) {
    const float turn = std::fmod(r * 6.5f, 1.0f),
                strand = 0.5f + 0.5f * std::sin(std::atan2(cy, cx) * 70 + r * 30);
    s.albedo = Rgb{.30f, .235f, .13f} *
               ((0.25f + 0.9f * std::sin(turn * 3.14159f)) * (0.7f + 0.4f * strand));
    s.sun = 0.5f;
    s.sky = 0.8f;
  }
  return s;
}

}  // namespace tsukimi::sim
