// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/camera.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "sim/noise.h"

namespace tsukimi::sim {
namespace {

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

namespace {

// The shadow of a grain of dust, as the sensor has it.
struct Spot {
  float x, y, r, depth;
  Profile profile;
  float shadow(float q) const {  // q: the square of the distance in radii
    if (profile == Profile::round) return q < 6 ? std::exp(-q) : 0.0f;
    if (profile == Profile::flat) return q < 2 ? std::exp(-q * q * q) : 0.0f;
    return q < 2.25f ? 1 - std::sqrt(q) / 1.5f : 0.0f;
  }
};

std::vector<Spot> spots_of(const CameraOptions& o, const Shot& shot, Size size) {
  std::vector<Spot> out;
  for (const Dust& grain : dust_of(o, size)) {
    const Dust d = grain.at(shot);
    out.push_back({static_cast<float>(d.x), static_cast<float>(d.y), static_cast<float>(d.radius),
                   static_cast<float>(d.depth), d.profile});
  }
  return out;
}

// Rows of a scene as the wobble moves them.
class Wobbled {
 public:
  Wobbled(const Image& scene, const Shot& shot) : scene_(scene) {
    // The whole-pixel part is an offset.
    const double bx = std::floor(shot.wobble_x), by = std::floor(shot.wobble_y);
    wobble_weights(static_cast<float>(shot.wobble_x - bx), kx_);
    wobble_weights(static_cast<float>(shot.wobble_y - by), ky_);
    ox_ = static_cast<int>(bx), oy_ = static_cast<int>(by);
  }
  // One row: all of red, all of green, all of blue.
  void row(int y, std::vector<float>& line) const {
    const int w = scene_.width, h = scene_.height;
    for (int c = 0; c < 3; ++c)
      for (int x = 0; x < w; ++x) {
        float sum = 0;
        for (int j = 0; j < 4; ++j) {
          const float* row = scene_.planes[c].row(std::clamp(y + oy_ + j - 1, 0, h - 1));
          float part = 0;
          if (x + ox_ >= 1 && x + ox_ + 2 < w) {
            const float* p = row + x + ox_ - 1;
            part = kx_[0] * p[0] + kx_[1] * p[1] + kx_[2] * p[2] + kx_[3] * p[3];
          } else {
            for (int i = 0; i < 4; ++i) part += kx_[i] * row[std::clamp(x + ox_ + i - 1, 0, w - 1)];
          }
          sum += ky_[j] * part;
        }
        line[static_cast<std::size_t>(c) * w + x] = std::max(sum, 0.0f);
      }
  }

 private:
  const Image& scene_;
  float kx_[4], ky_[4];
  int ox_, oy_;
};

// From light to the sensor's colours at the fixed white balance, at which the matrices are exact.
struct Response {
  float m[9];
  std::vector<float> across;  // of each column

  Response(const Shot& shot, double sensitivity, int width)
      : across(static_cast<std::size_t>(width), 1.0f) {
    const Mat3 to_camera =
        xyz_to_camera(camera_colour(), 5600) * rec2020_to_xyz() * srgb_to_rec2020();
    const auto gain = static_cast<float>(sensitivity);
    for (int i = 0; i < 9; ++i)
      m[i] = static_cast<float>(to_camera.m[i]) * gain *
             static_cast<float>(shot.uneven.channel[static_cast<std::size_t>(i / 3)]);
    if (shot.uneven.any())
      for (int x = 0; x < width; ++x)
        across[static_cast<std::size_t>(x)] =
            static_cast<float>(shot.uneven.at_column((x + 0.5) / width));
  }
};

void add_hot_pixels(const CameraOptions& o, const Shot& shot, Mosaic& out) {
  const int w = out.width, h = out.height;
  for (int i = 0; i < 20; ++i) {
    const int x = static_cast<int>(unit_hash(i, 30, o.seed) * w),
              y = static_cast<int>(unit_hash(i, 31, o.seed) * h);
    auto& v = out.data[static_cast<std::size_t>(y) * w + x];
    const float add = (kWhite - kBlack) * (0.25f + 0.75f * unit_hash(i, 32, o.seed)) *
                      std::exp2((shot.shutter_thirds + shot.iso_thirds) / 3.0f + 1);
    v = static_cast<std::uint16_t>(std::min(v + add, static_cast<float>(kWhite)));
  }
}

}  // namespace

Mosaic expose(const Image& light, const Shot& shot, const CameraOptions& o) {
  const double sensitivity = kSensitivity * std::exp2(shot.true_gain()) * shot.flicker;
  const Image changed = shot.ruined() ? with_fault(light, shot, sensitivity) : Image();
  const Image& scene = changed.width > 0 ? changed : light;
  const int w = scene.width, h = scene.height;
  Mosaic out{w, h, std::vector<std::uint16_t>(static_cast<std::size_t>(w) * h)};
  const Response response(shot, sensitivity, w);
  const Wobbled wobbled(scene, shot);
  const std::vector<Spot> dust = spots_of(o, shot, {w, h});
  const float well = kFullWell * std::exp2(-shot.iso_thirds / 3.0f);
  const auto frame = static_cast<std::uint32_t>(shot.number) * 2654435761u + o.seed;

  parallel_rows(h, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(w) * 3);
    for (int y = y0; y < y1; ++y) {
      const auto of_row = static_cast<float>(shot.uneven.at_row((y + 0.5) / h));
      wobbled.row(y, line);
      for (int x = 0; x < w; ++x) {
        const float r = line[x], g = line[w + x], b = line[2 * w + x];
        const int channel = (y & 1) ? ((x & 1) ? 2 : 1) : ((x & 1) ? 1 : 0);
        const float* m = response.m + 3 * channel;
        float v = m[0] * r + m[1] * g + m[2] * b;
        v *= of_row * response.across[static_cast<std::size_t>(x)];
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
  if (o.hot_pixels) add_hot_pixels(o, shot, out);
  return out;
}

}  // namespace tsukimi::sim
