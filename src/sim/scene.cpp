// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/scene.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "sim/vessels.h"
#include "sim/village.h"

namespace tsukimi::sim {
namespace {

// Averages what a pixel is made of over sub-samples, so that edges are smooth.
template <typename Paint>
Layer paint_layer(Size size, int samples, const Paint& paint) {
  Layer layer{size.width, size.height,
              std::vector<Surface>(static_cast<std::size_t>(size.width) * size.height)};
  const float unit = 1.0f / size.height;
  parallel_ranges(size.height, 4, [&](int y0, int y1) {
    for (int py = y0; py < y1; ++py)
      for (int px = 0; px < size.width; ++px) {
        Surface sum;
        sum.sky = 0;
        float n = 0;
        for (int k = 0; k < samples * samples; ++k) {
          const Surface s = paint((px + (k % samples + 0.5f) / samples) * unit,
                                  (py + (k / samples + 0.5f) / samples) * unit);
          if (s.cover <= 0) continue;
          sum.albedo = sum.albedo + s.albedo * s.cover;
          sum.sun += s.sun * s.cover;
          sum.sky += s.sky * s.cover;
          sum.lamp += s.lamp * s.cover;
          sum.haze += s.haze * s.cover;
          n += s.cover;
        }
        if (n > 0) {
          const float k = 1 / n;
          sum = {sum.albedo * k, sum.sun * k,  sum.sky * k,
                 sum.lamp * k,   sum.haze * k, n / (samples * samples)};
        }
        layer.surface[static_cast<std::size_t>(py) * size.width + px] = sum;
      }
  });
  return layer;
}

constexpr Rgb kLampLight{1.0f, 0.60f, 0.24f};

Rgb lit(const Surface& s, const Evening& e, float shade, float lamps) {
  const Rgb light = e.sun * (s.sun * shade * 0.62f) + e.sky * s.sky + kLampLight * (s.lamp * lamps);
  return lerp(s.albedo * light, e.horizon * 0.8f, s.haze);
}

struct Canvas {
  Image& image;
  float unit;  // scene units per pixel
  void put(int x, int y, Rgb c, float cover) {
    image.planes[0].at(x, y) = lerp(image.planes[0].at(x, y), c.r, cover);
    image.planes[1].at(x, y) = lerp(image.planes[1].at(x, y), c.g, cover);
    image.planes[2].at(x, y) = lerp(image.planes[2].at(x, y), c.b, cover);
  }
  void add(int x, int y, Rgb c) {
    image.planes[0].at(x, y) += c.r;
    image.planes[1].at(x, y) += c.g;
    image.planes[2].at(x, y) += c.b;
  }
  Rgb get(int x, int y) const {
    return {image.planes[0].at(x, y), image.planes[1].at(x, y), image.planes[2].at(x, y)};
  }
  // Bilinear, held at the edges.
  Rgb sample(float x, float y) const {
    const float fx = std::clamp(x / unit - 0.5f, 0.0f, image.width - 1.001f),
                fy = std::clamp(y / unit - 0.5f, 0.0f, image.height - 1.001f);
    const int ix = static_cast<int>(fx), iy = static_cast<int>(fy);
    const float u = fx - ix, v = fy - iy;
    return lerp(lerp(get(ix, iy), get(ix + 1, iy), u),
                lerp(get(ix, iy + 1), get(ix + 1, iy + 1), u), v);
  }
};

Rgb sky_colour(float x, float y, const Evening& e, float seconds, std::uint32_t seed) {
  const float up = std::max((kHorizon - y) / kHorizon, 0.0f);
  const float toward = std::exp(-(x - kSunX) * (x - kSunX) / 0.36f);
  const float low = std::exp(-up / 0.28f);
  Rgb c = lerp(e.zenith, e.horizon, std::exp(-up / 0.34f));
  c = lerp(c, e.glow, 0.85f * toward * low);
  const float dx = x - kSunX, dy = y - (kHorizon + 0.012f);
  c = c + e.sun * (0.55f * std::exp(-(dx * dx + dy * dy) / 0.0075f)) +
      e.sun * (0.16f * std::exp(-(dx * dx + dy * dy) / 0.08f));
  // Clouds on a ceiling, seen in perspective, drifting to the right.
  const float k = 1 / (up * 0.92f + 0.13f);
  const float u = (x - 0.75f) * k * 1.25f - seconds * 0.00042f, v = k * 1.55f + seconds * 0.00006f;
  const float warp = fbm(u * 0.9f, v * 1.8f, 3, seed + 201);
  auto density = [&](float du) {
    return fbm(u * 1.25f + 0.9f * warp + du, v * 2.3f + 0.5f * warp, 5, seed + 202);
  };
  const float d = density(0), cover = smoothstep(0.47f, 0.70f, d) * smoothstep(0.0f, 0.07f, up);
  const float rim = std::clamp((d - density(0.10f)) * 4.5f + 0.42f, 0.0f, 1.0f);
  const Rgb dark = e.zenith * 0.30f + e.horizon * 0.42f;
  const Rgb bright =
      e.horizon * 0.50f + e.glow * (0.22f + 0.75f * toward) + e.sun * (0.20f + 0.25f * toward);
  const float thick = smoothstep(0.52f, 0.82f, d);
  return lerp(c, lerp(bright, dark, std::clamp(thick * 0.85f + 0.30f - 0.55f * rim, 0.0f, 1.0f)),
              cover * 0.88f);
}

// The sky is soft: every third pixel, then interpolated.
void draw_sky(Canvas canvas, const Evening& e, float seconds, std::uint32_t seed) {
  constexpr int kStep = 3;
  const int w = canvas.image.width,
            rows =
                std::min(canvas.image.height, static_cast<int>(0.615f * canvas.image.height) + 2);
  const int cw = w / kStep + 2, ch = rows / kStep + 2;
  std::vector<Rgb> coarse(static_cast<std::size_t>(cw) * ch);
  parallel_ranges(ch, 4, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < cw; ++x)
        coarse[static_cast<std::size_t>(y) * cw + x] =
            sky_colour(kStep * x * canvas.unit, kStep * y * canvas.unit, e, seconds, seed);
  });
  parallel_rows(rows, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < w; ++x) {
        const Rgb* p = coarse.data() + static_cast<std::size_t>(y / kStep) * cw + x / kStep;
        const float u = static_cast<float>(x % kStep) / kStep,
                    v = static_cast<float>(y % kStep) / kStep;
        canvas.put(x, y, lerp(lerp(p[0], p[1], u), lerp(p[cw], p[cw + 1], u), v), 1);
      }
  });
}

void draw_stars(Canvas canvas, const Evening& e, std::uint32_t seed) {
  const float strength = smoothstep(-5.5f, -10.0f, e.elevation);
  if (strength <= 0) return;
  for (int i = 0; i < 420; ++i) {
    const float x = unit_hash(i, 1, seed + 301) * 1.5f,
                y = 0.48f * std::pow(unit_hash(i, 2, seed + 301), 0.8f);
    const float magnitude = std::pow(unit_hash(i, 3, seed + 301), 5.0f);
    const int px = static_cast<int>(x / canvas.unit), py = static_cast<int>(y / canvas.unit);
    if (px >= canvas.image.width || py >= canvas.image.height) continue;
    canvas.add(px, py, Rgb{0.95f, 0.97f, 1.0f} * (strength * (0.0025f + 0.030f * magnitude)));
  }
}

void draw_layer(Canvas canvas, const Layer& layer, const Evening& e, float seconds,
                std::uint32_t seed, bool cloud_shadows) {
  parallel_rows(layer.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < layer.width; ++x) {
        const Surface& s = layer.surface[static_cast<std::size_t>(y) * layer.width + x];
        if (s.cover <= 0) continue;
        float shade = 1;
        if (cloud_shadows && e.elevation > -1) {
          const float sx = x * canvas.unit, sy = y * canvas.unit;
          shade =
              1 -
              0.72f * smoothstep(
                          0.46f, 0.60f,
                          noise(sx * 3.4f - seconds * 0.00050f, sy * 6.0f, seed + 211) * 0.6f +
                              noise(sx * 8.0f - seconds * 0.0009f, sy * 13.0f, seed + 212) * 0.4f);
        }
        canvas.put(x, y, lit(s, e, shade, e.lamps), s.cover);
      }
  });
}

void glow(Canvas canvas, float x, float y, float radius, Rgb colour) {
  const int x0 = std::max(0, static_cast<int>((x - 4 * radius) / canvas.unit)),
            x1 = std::min(canvas.image.width, static_cast<int>((x + 4 * radius) / canvas.unit) + 1);
  const int y0 = std::max(0, static_cast<int>((y - 4 * radius) / canvas.unit)),
            y1 =
                std::min(canvas.image.height, static_cast<int>((y + 4 * radius) / canvas.unit) + 1);
  for (int py = y0; py < y1; ++py)
    for (int px = x0; px < x1; ++px) {
      const float dx = ((px + 0.5f) * canvas.unit - x) / radius,
                  dy = ((py + 0.5f) * canvas.unit - y) / radius;
      const float r2 = dx * dx + dy * dy;
      // A small core, and a wide faint halo as the air and the lens make it.
      const float v =
          std::exp(-r2 * 5.5f) + 0.035f * std::max(0.0f, 1 / (1 + 2.2f * r2) - 1 / 36.2f);
      canvas.add(px, py, colour * v);
    }
}

void draw_lights(Canvas canvas, const std::vector<Window>& windows, const std::vector<Lamp>& lamps,
                 float p, float seconds, bool near_pier) {
  for (const auto& w : windows) {
    if (near_pier || p < w.on || p > w.off) continue;
    for (int y = static_cast<int>(w.y0 / canvas.unit); y <= static_cast<int>(w.y1 / canvas.unit);
         ++y)
      for (int x = static_cast<int>(w.x0 / canvas.unit); x <= static_cast<int>(w.x1 / canvas.unit);
           ++x) {
        const float cx =
            std::clamp(std::min((x + 1) * canvas.unit, w.x1) - std::max(x * canvas.unit, w.x0),
                       0.0f, canvas.unit) /
            canvas.unit;
        const float cy =
            std::clamp(std::min((y + 1) * canvas.unit, w.y1) - std::max(y * canvas.unit, w.y0),
                       0.0f, canvas.unit) /
            canvas.unit;
        const float fall =
            0.72f + 0.5f * (static_cast<float>(y) * canvas.unit - w.y0) / (w.y1 - w.y0);
        if (x >= 0 && y >= 0 && x < canvas.image.width && y < canvas.image.height)
          canvas.add(x, y, w.colour * (cx * cy * fall));
      }
    glow(canvas, (w.x0 + w.x1) / 2, (w.y0 + w.y1) / 2, 0.010f, w.colour * 0.05f);
  }
  for (const auto& l : lamps) {
    if ((l.y > 0.33f && l.y < 0.35f && l.x < 0.2f) != near_pier) continue;
    const float on = smoothstep(l.on, l.on + 0.01f, p);
    if (on <= 0) continue;
    float strength = l.strength * on;
    if (l.beacon)
      strength *= 0.45f + 0.55f * std::pow(0.5f + 0.5f * std::sin(seconds * 0.37f),
                                           2.0f);  // turning, averaged over the exposure
    glow(canvas, l.x, l.y, l.size, l.colour * strength);
  }
}

void draw_vessel(Canvas canvas, const Vessel& v, const Evening& e) {
  const float half = vessel_half_width(v) + 0.02f, tall = vessel_height(v);
  const int x0 = std::max(0, static_cast<int>((v.x - half) / canvas.unit)),
            x1 = std::min(canvas.image.width, static_cast<int>((v.x + half) / canvas.unit));
  const int y0 = static_cast<int>((v.waterline - tall) / canvas.unit),
            y1 = static_cast<int>(v.waterline / canvas.unit);
  const int deep = std::min(canvas.image.height, y1 + static_cast<int>(tall * 0.8f / canvas.unit));
  for (int y = std::max(0, y0); y < deep; ++y)
    for (int x = x0; x < x1; ++x) {
      const float sx = (x + 0.5f) * canvas.unit, sy = (y + 0.5f) * canvas.unit;
      const bool mirrored = sy > v.waterline;
      float tx = sx, ty = sy;
      if (mirrored) {  // its picture in the water, broken by ripples
        const float d = sy - v.waterline;
        tx += (noise(sx * 90, sy * 260, 5) - 0.5f) * (0.006f + 0.12f * d);
        ty = v.waterline - d * (1.0f + 0.5f * (noise(sx * 60, sy * 320, 6) - 0.5f));
      }
      Rgb colour, light;
      float cover = 0;
      for (int k = 0; k < 4; ++k) {
        Rgb lamp;
        const Surface s = paint_vessel(v, tx + (k % 2 - 0.5f) * 0.5f * canvas.unit,
                                       ty + (k / 2 - 0.5f) * 0.5f * canvas.unit, lamp);
        if (s.cover <= 0) continue;
        colour = colour + lit(s, e, 1, 0) * s.cover;
        light = light + lamp * s.cover;
        cover += s.cover;
      }
      if (cover <= 0) continue;
      const float fade =
          mirrored ? 0.55f * (1 - smoothstep(0.0f, tall * 0.8f, sy - v.waterline)) : 1.0f;
      canvas.put(x, y, colour * (1 / cover) + light * (e.lamps / cover), 0.25f * cover * fade);
    }
}

void draw_water(Canvas canvas, const Canvas& above, const Layer& back, const Evening& e,
                float seconds, std::uint32_t seed) {
  const int h = canvas.image.height;
  const Rgb deep = e.sky * Rgb{.030f, .055f, .060f};
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float sy = (y + 0.5f) * canvas.unit;
      if (sy < kHorizon) continue;
      for (int x = 0; x < canvas.image.width; ++x) {
        const float sx = (x + 0.5f) * canvas.unit;
        const bool open_sea = sx > 1.075f;
        const float line =
            open_sea ? (back.surface[static_cast<std::size_t>(y) * back.width + x].cover > 0.5f
                            ? 2.0f
                            : kHorizon)
                     : e.tide + 0.0012f * (noise(sx * 30, seconds * 0.2f, seed) - 0.5f);
        if (sy < line || pier_depth(sx, sy) > 0.004f) continue;
        const float reach = sy - 0.486f, z = 1 / reach;
        const float u = (sx - 0.75f) * z, drift = seconds * 0.021f;
        const float a = noise(u * 13 + drift, z * 5.2f - drift * 0.7f, seed + 221),
                    b = noise(u * 29 - drift * 1.3f, z * 12.0f + drift, seed + 222),
                    c = noise(u * 70 + drift * 2.1f, z * 31.0f - drift, seed + 223);
        const float swell = (a - 0.5f) + 0.5f * (b - 0.5f), chop = (b - 0.5f) + 0.8f * (c - 0.5f);
        // The quay mirrors about its foot, the open sea about the horizon; ripples break the
        // border.
        const float mirror =
            lerp(e.tide, 0.512f, smoothstep(1.045f, 1.135f, sx + 0.5f * chop * (sy - 0.5f)));
        const float depth = std::max(sy - mirror, 0.0f) + 0.0005f;
        const float dx = chop * (0.003f + 0.050f * depth),
                    dy = swell * (0.004f + 0.30f * depth) + 0.10f * depth * chop;
        Rgb sum;
        for (int k = 0; k < 3; ++k) {  // rough water smears reflections downwards
          const float stretch = depth * (0.64f + 0.30f * static_cast<float>(k));
          sum = sum + above.sample(sx + dx * (1 + 0.3f * static_cast<float>(k)),
                                   std::clamp(mirror - stretch + dy, 0.0f, mirror - 0.001f));
        }
        const float fresnel = 0.18f + 0.62f * std::exp(-depth / 0.16f) + 0.16f * swell;
        Rgb colour =
            sum * (0.3333f * std::clamp(fresnel, 0.05f, 0.95f)) + deep * (1.2f + 0.9f * chop);
        const float path = std::exp(-(sx - kSunX) * (sx - kSunX) / (0.010f + 0.10f * depth));
        const float g1 = std::clamp(0.5f * b + 0.62f * c, 0.0f, 1.0f), g2 = g1 * g1,
                    glint = g2 * g2 * g2 * g1;
        colour = colour + (e.sun * 1.9f + e.glow * 0.55f) * (path * glint * 2.2f) +
                 e.horizon * (0.35f * glint);
        const float shore = open_sea ? 0 : smoothstep(0.006f, 0.0f, sy - line);
        canvas.put(x, y, colour * (1 - 0.55f * shore), 1);
      }
    }
  });
}

}  // namespace

HarbourScene::HarbourScene(Size size, std::uint32_t seed) : size_(size), seed_(seed) {
  const Village village = build_village(seed);
  lamps_ = village.lamps;
  windows_ = village.windows;
  const int samples = static_cast<long>(size.width) * size.height <= 4'000'000 ? 2 : 1;
  back_ =
      paint_layer(size, samples, [&](float x, float y) { return paint_back(x, y, village, seed); });
  front_ = paint_layer(size, samples, [&](float x, float y) { return paint_front(x, y, seed); });
}
HarbourScene::~HarbourScene() = default;
HarbourScene::HarbourScene(HarbourScene&&) noexcept = default;

Plane HarbourScene::open_sky() const {
  Plane out(size_.width, size_.height);
  const auto horizon = static_cast<int>(kHorizon * static_cast<float>(size_.height));
  for (int y = 0; y < size_.height; ++y)
    for (int x = 0; x < size_.width; ++x) {
      const auto i = static_cast<std::size_t>(y) * size_.width + x;
      const float land = std::max(back_.surface[i].cover, front_.surface[i].cover);
      out.at(x, y) = y < horizon ? 1 - std::min(land, 1.0f) : 0;
    }
  return out;
}

Image HarbourScene::render(double progress, double seconds, bool stars) const {
  const Evening e = evening_at(progress);
  const auto p = static_cast<float>(progress), s = static_cast<float>(seconds);
  Image image(size_.width, size_.height);
  for (auto& plane : image.planes) std::fill(plane.data.begin(), plane.data.end(), 0.0f);
  Canvas canvas{image, 1.0f / size_.height};
  draw_sky(canvas, e, s, seed_);
  if (stars) draw_stars(canvas, e, seed_);
  draw_layer(canvas, back_, e, s, seed_, true);
  draw_lights(canvas, windows_, lamps_, p, s, false);
  const auto vessels = vessels_at(progress, seconds, seed_);
  const Image above = image;  // what the water mirrors
  draw_water(canvas, Canvas{const_cast<Image&>(above), canvas.unit}, back_, e, s, seed_);
  for (const auto& v : vessels) draw_vessel(canvas, v, e);
  draw_layer(canvas, front_, e, s, seed_, false);
  draw_lights(canvas, {}, lamps_, p, s, true);
  return image;
}

}  // namespace tsukimi::sim
