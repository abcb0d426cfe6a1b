// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/camera.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/parallel.h"
#include "sim/noise.h"

namespace tsukimi::sim {
namespace {

// Nearly normal: the sum of four uniform numbers, sigma 1.
float normal_from(std::uint32_t a, std::uint32_t b, std::uint32_t c) {
  const std::uint32_t h = hash3(a, b, c), g = hash3(h, a + 17u, b ^ 0x55u);
  const float sum = static_cast<float>((h & 0xFFFF) + (h >> 16) + (g & 0xFFFF) + (g >> 16));
  return (sum * (1.0f / 65536) - 2.0f) * 1.7320508f;
}

// What shutters are called, from 1/8000 s (-39 thirds) to 30 s (+15 thirds).
constexpr double kShutters[] = {
    1.0 / 8000, 1.0 / 6400, 1.0 / 5000, 1.0 / 4000, 1.0 / 3200, 1.0 / 2500, 1.0 / 2000, 1.0 / 1600,
    1.0 / 1250, 1.0 / 1000, 1.0 / 800,  1.0 / 640,  1.0 / 500,  1.0 / 400,  1.0 / 320,  1.0 / 250,
    1.0 / 200,  1.0 / 160,  1.0 / 125,  1.0 / 100,  1.0 / 80,   1.0 / 60,   1.0 / 50,   1.0 / 40,
    1.0 / 30,   1.0 / 25,   1.0 / 20,   1.0 / 15,   1.0 / 13,   1.0 / 10,   1.0 / 8,    1.0 / 6,
    1.0 / 5,    1.0 / 4,    0.3,        0.4,        0.5,        0.6,        0.8,        1,
    1.3,        1.6,        2,          2.5,        3.2,        4,          5,          6,
    8,          10,         13,         15,         20,         25,         30};
constexpr double kApertures[] = {2.8, 3.2, 3.5, 4,  4.5, 5,  5.6, 6.3, 7.1, 8,
                                 9,   10,  11,  13, 14,  16, 18,  20,  22};  // from 9 thirds
constexpr double kIsos[] = {100,  125,  160,  200,  250,  320,  400,  500,  640, 800,
                            1000, 1250, 1600, 2000, 2500, 3200, 4000, 5000, 6400};

constexpr float kSensitivity = 1750.0f;  // scene light 1 at gain 0, as a multiple of clipping
constexpr float kFullWell = 52000.0f, kReadNoise = 3.2f;  // electrons at ISO 100

}  // namespace

double Shot::nominal_shutter() const { return kShutters[std::clamp(shutter_thirds + 39, 0, 54)]; }
double Shot::nominal_aperture() const { return kApertures[std::clamp(aperture_thirds - 9, 0, 18)]; }
double Shot::nominal_iso() const { return kIsos[std::clamp(iso_thirds, 0, 18)]; }

const CameraColour& camera_colour() {
  static const CameraColour colour = [] {
    CameraColour c;
    c.matrix1 = Mat3{{0.905, -0.338, -0.030, -0.430, 1.225, 0.232, -0.058, 0.158, 0.672}};
    c.matrix2 = Mat3{{0.802, -0.252, -0.081, -0.452, 1.284, 0.188, -0.083, 0.204, 0.618}};
    c.kelvin1 = 2856;
    c.kelvin2 = 6504;
    const Vec3 n = xyz_to_camera(c, 5600) * to_xyz(light_chromaticity(5600, 0));
    const double most = std::max({n[0], n[1], n[2]});
    for (int i = 0; i < 3; ++i) c.neutral[i] = std::round(n[i] / most * 1e6) / 1e6;
    return c;
  }();
  return colour;
}

std::vector<Shot> plan_shots(const CameraOptions& o, const std::vector<double>& light) {
  auto uniform = [&](int i, int what) {
    return static_cast<double>(unit_hash(i, what, o.seed * 31u + 7u));
  };
  auto light_at = [&](double progress) {
    const double at = progress * static_cast<double>(light.size() - 1);
    const auto i = std::min(static_cast<std::size_t>(at), light.size() - 2);
    return light[i] + (at - static_cast<double>(i)) * (light[i + 1] - light[i]);
  };
  const int gap_after =
      o.gap && o.frames > 8 ? static_cast<int>(o.frames * (0.30 + 0.15 * uniform(0, 1))) : -1;
  const int gap_size = 3;
  const int shots = o.frames + (gap_after >= 0 ? gap_size : 0);
  const int traded = static_cast<int>(o.frames * (0.45 + 0.1 * uniform(0, 2)));
  const int wrong = o.wrong_aperture && o.frames > 8
                        ? static_cast<int>(o.frames * (0.22 + 0.05 * uniform(0, 3)))
                        : -1;
  const int ruined1 =
      o.ruined && o.frames > 8 ? static_cast<int>(o.frames * (0.60 + 0.05 * uniform(0, 4))) : -1;
  const int ruined2 =
      ruined1 >= 0 ? ruined1 + 1 + static_cast<int>(o.frames * (0.10 + 0.08 * uniform(0, 5))) : -1;
  const int bump = static_cast<int>(o.frames * (0.70 + 0.05 * uniform(0, 6)));

  std::vector<Shot> out;
  // Shutter so that the longest stays below 0.6 of the interval; the rest is ISO.
  const int longest = static_cast<int>(std::floor(3 * std::log2(std::max(0.6 * o.interval, 0.01))));
  // Thirds: 1/100 s, ISO 100, f/5.6 in the afternoon.
  int exposure = -20 - static_cast<int>(std::round(3 * 0.85 * (light_at(o.from) - light_at(0))));
  int iso_shift = 0;
  int pending = 0;
  const double start = 1948732200.0 + 86400.0 * (o.seed % 20) + o.start;  // an October evening
  for (int shot = 0, i = 0; i < o.frames; ++shot) {
    const double progress =
        o.from + (shots > 1 ? (o.to - o.from) * static_cast<double>(shot) / (shots - 1) : 0);
    // The photographer follows 85 % of the falling light, in thirds, with a little hesitation.
    const double wish = -20 - 3 * 0.85 * (light_at(progress) - light_at(0));
    bool late = false;
    const int way = o.from > o.to ? -1 : 1;  // at dawn exposures become shorter
    const double off = way * (wish - exposure);
    if (o.steps && o.automatic) {
      // A meter that clouds and ships mislead by a sixth of a stop.
      constexpr double kMisled = 0.5;  // thirds
      exposure = static_cast<int>(
          std::lround(wish + kMisled * normal_from(static_cast<std::uint32_t>(shot), 13, o.seed)));
    } else if (o.steps && off > 0.8) {
      if (pending == 0 && uniform(shot, 7) < 0.25) {
        pending = 1;  // noticed one frame late
      } else {
        exposure += way * std::max(1, static_cast<int>(std::floor(off)));
        late = pending != 0;
        pending = 0;
      }
    }
    const bool missing = gap_after >= 0 && shot > gap_after && shot <= gap_after + gap_size;
    if (missing) continue;
    if (o.steps && i == traded) iso_shift = 3;
    Shot s;
    s.number = o.first_number + shot * o.bracket;
    s.progress = progress;
    s.time = std::round((start + shot * o.interval + 0.02 * (uniform(shot, 8) - 0.5)) * 100) / 100;
    const int over = std::max(0, exposure - iso_shift - longest);
    s.shutter_thirds = exposure - iso_shift - over;
    s.iso_thirds = iso_shift + over;
    s.aperture_thirds = 15;
    for (const auto& [from, number] : o.apertures)
      if (i >= from) s.aperture_thirds = static_cast<int>(std::lround(6 * std::log2(number)));
    s.shutter_thirds += s.aperture_thirds - 15;
    s.late_step = late;
    s.error = o.step_error * normal_from(static_cast<std::uint32_t>(1000 + s.shutter_thirds),
                                         static_cast<std::uint32_t>(s.iso_thirds), o.seed + 17);
    if (i == wrong) s.aperture_thirds = 18, s.fault = Fault::aperture;  // f/8 for one frame
    if (i == ruined1 || i == ruined2) s.fault = Fault::headlights;
    if (o.flicker)
      s.flicker = std::exp(o.flicker_percent / 100 *
                           normal_from(static_cast<std::uint32_t>(shot), 9, o.seed));
    s.bump = o.wobble && i == bump;
    if (o.wobble) {
      const double by_x = o.shaking.value_or(0.45), by_y = o.shaking.value_or(0.30),
                   size = o.bump ? *o.bump / std::hypot(3.3, 1.8) : 1,
                   gone = o.frames > 1 ? i / (o.frames - 1.0) : 0;
      const auto of = static_cast<std::uint32_t>(shot);
      s.wobble_x =
          by_x * normal_from(of, 10, o.seed) + (i >= bump ? 3.3 * size : 0) + 0.96 * o.drift * gone;
      s.wobble_y = by_y * normal_from(of, 11, o.seed) + (i >= bump ? -1.8 * size : 0) +
                   0.28 * o.drift * gone;
      s.turn = o.turn * std::numbers::pi / 180 * normal_from(of, 12, o.seed);
    }
    for (int k = 0; k < o.bracket; ++k) {
      Shot one = s;
      one.number += k;
      one.time += 1.2 * k;
      one.shutter_thirds += 6 * (k - o.bracket / 2);
      out.push_back(one);
    }
    ++i;
  }
  return out;
}

Dust Dust::at(const Shot& shot) const {
  constexpr int kThirds = 15;  // f/5.6
  const double by = std::exp2((shot.aperture_thirds - kThirds) / 6.0);
  return {x, y, radius / by, std::min(depth * by * by, 0.8), profile};
}

std::vector<Dust> dust_of(const CameraOptions& o, Size size) {
  std::vector<Dust> out;
  for (int i = 0; o.dust && i < o.grains; ++i) {
    const float w = static_cast<float>(size.width), h = static_cast<float>(size.height);
    out.push_back(
        {unit_hash(i, 20, o.seed) * w, unit_hash(i, 21, o.seed) * (i < 3 ? 0.45f : 0.9f) * h,
         (0.006f + 0.006f * unit_hash(i, 22, o.seed)) * h, 0.10f + 0.12f * unit_hash(i, 23, o.seed),
         o.profiles ? static_cast<Profile>(i % count_of<Profile>()) : Profile::round});
  }
  return out;
}

// Mostly a cubic B-spline, which is also the low-pass before a real sensor, with some Catmull-Rom
// to keep it crisp.
static void wobble_weights(float t, float k[4]) {
  const float crisp[4] = {0.5f * t * (-1 + t * (2 - t)), 0.5f * (2 + t * t * (-5 + 3 * t)),
                          0.5f * t * (1 + t * (4 - 3 * t)), 0.5f * t * t * (t - 1)};
  const float u = 1 - t, soft[4] = {u * u * u / 6, (4 - 6 * t * t + 3 * t * t * t) / 6,
                                    (4 - 6 * u * u + 3 * u * u * u) / 6, t * t * t / 6};
  for (int i = 0; i < 4; ++i) k[i] = 0.25f * crisp[i] + 0.75f * soft[i];
}

int margin_of(const CameraOptions& o, const std::vector<Shot>& shots, Size frame) {
  if (!o.shaking && !o.bump && o.drift == 0 && o.turn == 0) return 0;
  double most = 0;
  for (const Shot& s : shots)
    most = std::max(most, std::hypot(s.wobble_x, s.wobble_y) +
                              std::fabs(s.turn) * std::hypot(frame.width, frame.height) / 2);
  return static_cast<int>(most) + 4;
}

Image part_seen(const Image& scene, const Shot& shot, Size frame) {
  Image out(frame.width, frame.height);
  const double c = std::cos(shot.turn), s = std::sin(shot.turn);
  const double from_x = (scene.width - 1) / 2.0 + shot.wobble_x,
               from_y = (scene.height - 1) / 2.0 + shot.wobble_y;
  parallel_rows(frame.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < frame.width; ++x) {
        const double px = x - (frame.width - 1) / 2.0, py = y - (frame.height - 1) / 2.0;
        const double sx = from_x + c * px - s * py, sy = from_y + s * px + c * py;
        const int bx = static_cast<int>(std::floor(sx)), by = static_cast<int>(std::floor(sy));
        float kx[4], ky[4];
        wobble_weights(static_cast<float>(sx - bx), kx);
        wobble_weights(static_cast<float>(sy - by), ky);
        for (int ch = 0; ch < 3; ++ch) {
          float sum = 0;
          for (int j = 0; j < 4; ++j) {
            const float* row = scene.planes[ch].row(std::clamp(by + j - 1, 0, scene.height - 1));
            for (int i = 0; i < 4; ++i)
              sum += ky[j] * kx[i] * row[std::clamp(bx + i - 1, 0, scene.width - 1)];
          }
          out.planes[ch].at(x, y) = std::max(sum, 0.0f);
        }
      }
  });
  return out;
}

Mosaic expose(const Image& light, const Shot& shot, const CameraOptions& o) {
  const double sensitivity = kSensitivity * std::exp2(shot.true_gain()) * shot.flicker;
  const Image changed = shot.ruined() ? with_fault(light, shot, sensitivity) : Image();
  const Image& scene = changed.width > 0 ? changed : light;
  const int w = scene.width, h = scene.height;
  Mosaic out{w, h, std::vector<std::uint16_t>(static_cast<std::size_t>(w) * h)};
  // Camera response at the fixed white balance: the matrices are exact there.
  const Mat3 to_camera =
      xyz_to_camera(camera_colour(), 5600) * rec2020_to_xyz() * srgb_to_rec2020();
  const auto gain = static_cast<float>(sensitivity);
  float m[9];
  for (int i = 0; i < 9; ++i)
    m[i] = static_cast<float>(to_camera.m[i]) * gain *
           static_cast<float>(shot.uneven.channel[static_cast<std::size_t>(i / 3)]);
  std::vector<float> across(static_cast<std::size_t>(w), 1.0f);
  if (shot.uneven.any())
    for (int x = 0; x < w; ++x)
      across[static_cast<std::size_t>(x)] =
          static_cast<float>(shot.uneven.at_column((x + 0.5) / w));
  const float well = kFullWell * std::exp2(-shot.iso_thirds / 3.0f);

  // Of the wobble the whole-pixel part is an offset.
  const double bx = std::floor(shot.wobble_x), by = std::floor(shot.wobble_y);
  float kx[4], ky[4];
  wobble_weights(static_cast<float>(shot.wobble_x - bx), kx);
  wobble_weights(static_cast<float>(shot.wobble_y - by), ky);
  const int ox = static_cast<int>(bx), oy = static_cast<int>(by);

  struct Spot {
    float x, y, r, depth;
    Profile profile;
    float shadow(float q) const {  // q: the square of the distance in radii
      if (profile == Profile::round) return q < 6 ? std::exp(-q) : 0.0f;
      if (profile == Profile::flat) return q < 2 ? std::exp(-q * q * q) : 0.0f;
      return q < 2.25f ? 1 - std::sqrt(q) / 1.5f : 0.0f;
    }
  };
  std::vector<Spot> dust;
  for (const Dust& grain : dust_of(o, {w, h})) {
    const Dust d = grain.at(shot);
    dust.push_back({static_cast<float>(d.x), static_cast<float>(d.y), static_cast<float>(d.radius),
                    static_cast<float>(d.depth), d.profile});
  }
  const auto frame = static_cast<std::uint32_t>(shot.number) * 2654435761u + o.seed;

  parallel_rows(h, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(w) * 3);
    for (int y = y0; y < y1; ++y) {
      const auto of_row = static_cast<float>(shot.uneven.at_row((y + 0.5) / h));
      for (int c = 0; c < 3; ++c)
        for (int x = 0; x < w; ++x) {
          float sum = 0;
          for (int j = 0; j < 4; ++j) {
            const float* row = scene.planes[c].row(std::clamp(y + oy + j - 1, 0, h - 1));
            float part = 0;
            if (x + ox >= 1 && x + ox + 2 < w) {
              const float* p = row + x + ox - 1;
              part = kx[0] * p[0] + kx[1] * p[1] + kx[2] * p[2] + kx[3] * p[3];
            } else {
              for (int i = 0; i < 4; ++i) part += kx[i] * row[std::clamp(x + ox + i - 1, 0, w - 1)];
            }
            sum += ky[j] * part;
          }
          line[static_cast<std::size_t>(c) * w + x] = std::max(sum, 0.0f);
        }
      for (int x = 0; x < w; ++x) {
        const float r = line[x], g = line[w + x], b = line[2 * w + x];
        const int channel = (y & 1) ? ((x & 1) ? 2 : 1) : ((x & 1) ? 1 : 0);
        float v = m[3 * channel] * r + m[3 * channel + 1] * g + m[3 * channel + 2] * b;
        v *= of_row * across[static_cast<std::size_t>(x)];
        for (const Spot& d : dust) {
          const float q = ((x - d.x) * (x - d.x) + (y - d.y) * (y - d.y)) / (d.r * d.r);
          if (q < 6) v *= 1 - d.depth * d.shadow(q);
        }
        if (o.noise) {
          const float electrons = std::max(v, 0.0f) * well;
          v += std::sqrt(electrons + kReadNoise * kReadNoise) / well *
               normal_from(static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y), frame);
        }
        const float raw = kBlack + v * (kWhite - kBlack) + 0.5f;
        out.data[static_cast<std::size_t>(y) * w + x] =
            static_cast<std::uint16_t>(std::clamp(raw, 0.0f, static_cast<float>(kWhite)));
      }
    }
  });
  if (o.hot_pixels)
    for (int i = 0; i < 20; ++i) {
      const int x = static_cast<int>(unit_hash(i, 30, o.seed) * w),
                y = static_cast<int>(unit_hash(i, 31, o.seed) * h);
      auto& v = out.data[static_cast<std::size_t>(y) * w + x];
      const float add = (kWhite - kBlack) * (0.25f + 0.75f * unit_hash(i, 32, o.seed)) *
                        std::exp2((shot.shutter_thirds + shot.iso_thirds) / 3.0f + 1);
      v = static_cast<std::uint16_t>(std::min(v + add, static_cast<float>(kWhite)));
    }
  return out;
}

}  // namespace tsukimi::sim
