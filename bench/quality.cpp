// SPDX-License-Identifier: GPL-3.0-or-later
// Quality on known truth, side by side with what general-purpose libraries give on the same data.
// scripts/quality prints the table.
#include <libraw/libraw.h>

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <opencv2/photo.hpp>

#include "base/file.h"
#include "develop/demosaic.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "output/encode.h"
#include "sim/camera.h"
#include "sim/chart.h"
#include "sim/dng_writer.h"
#include "sim/light_mosaic.h"
#include "sim/scene.h"

namespace {
using namespace tsukimi;
namespace fs = std::filesystem;

constexpr int kBorder = 12;  // left out of every figure

// Peak signal to noise over all three channels, of values that are even to the eye.
double cpsnr(const Image& a, const Image& b) {
  double sum = 0;
  std::size_t n = 0;
  for (int c = 0; c < 3; ++c)
    for (int y = kBorder; y < a.height - kBorder; ++y)
      for (int x = kBorder; x < a.width - kBorder; ++x, ++n) {
        auto even = [](float v) { return std::sqrt(std::clamp(v, 0.0f, 1.0f)); };
        const double d = even(a.planes[c].at(x, y)) - even(b.planes[c].at(x, y));
        sum += d * d;
      }
  return -10 * std::log10(sum / static_cast<double>(n) + 1e-12);
}

// Camera RGB of a scene without noise, quantised as the sensor does.
Image camera_rgb(const Image& scene, double gain) {
  const Mat3 m = xyz_to_camera(sim::camera_colour(), 5600) * rec2020_to_xyz() * srgb_to_rec2020();
  Image out(scene.width, scene.height);
  for (std::size_t i = 0; i < out.planes[0].data.size(); ++i)
    for (int r = 0; r < 3; ++r) {
      double v = 0;
      for (int c = 0; c < 3; ++c) v += m(r, c) * scene.planes[c].data[i] * gain;
      v = std::clamp(v, 0.0, 1.0) * (sim::kWhite - sim::kBlack);
      out.planes[r].data[i] = static_cast<float>(std::round(v) / (sim::kWhite - sim::kBlack));
    }
  return out;
}

Image zone_plate(int w, int h) {
  Image out(w, h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const double dx = x - w / 2.0, dy = y - h / 2.0;
      // Up to 0.35 cycles a pixel at the corner of the inscribed circle.
      const double v = 0.4 + 0.35 * std::cos(3.14159265 * 0.35 * (dx * dx + dy * dy) / (h / 2.0));
      for (auto& p : out.planes) p.at(x, y) = static_cast<float>(v);
    }
  return out;
}

int channel(int x, int y) { return (y & 1) ? ((x & 1) ? 2 : 1) : ((x & 1) ? 1 : 0); }

// LibRaw's AHD of the same mosaic, as linear camera RGB.
Image libraw_ahd(const Image& truth, const fs::path& file) {
  sim::Mosaic m{truth.width, truth.height, {}};
  for (int y = 0; y < m.height; ++y)
    for (int x = 0; x < m.width; ++x)
      m.data.push_back(static_cast<std::uint16_t>(std::lround(
          truth.planes[channel(x, y)].at(x, y) * (sim::kWhite - sim::kBlack) + sim::kBlack)));
  const auto preview = encode_jpeg(Encoded8(64, 64), 80);
  sim::Shot shot;
  shot.time = 1948732200;
  shot.aperture_thirds = 15;
  const auto dng = sim::make_dng(m, shot, *preview, {64, 64});
  if (!dng) std::printf("%s\n", dng.error().message.c_str()), std::exit(1);
  if (const auto ok = write_file(file, *dng, IfExists::replace, false); !ok)
    std::printf("%s\n", ok.error().message.c_str()), std::exit(1);
  auto raw = std::make_unique<LibRaw>();
  auto& p = raw->imgdata.params;
  p.user_qual = 3;
  p.output_color = 0;
  p.output_bps = 16;
  p.gamm[0] = p.gamm[1] = 1;
  p.no_auto_bright = 1;
  p.use_camera_wb = 0;
  std::fill(std::begin(p.user_mul), std::end(p.user_mul), 1.0f);
  if (raw->open_file(file.c_str()) || raw->unpack() || raw->dcraw_process()) std::exit(1);
  Image out(raw->imgdata.sizes.iwidth, raw->imgdata.sizes.iheight);
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < out.planes[c].data.size(); ++i)
      out.planes[c].data[i] = raw->imgdata.image[i][c] / 65535.0f;
  return out;
}

void demosaic_figures(const fs::path& folder) {
  std::printf("Demosaic, CPSNR in dB (ours / LibRaw AHD)\n");
  auto row = [&](const char* name, const Image& truth) {
    Plane mosaic(truth.width, truth.height);
    for (int y = 0; y < truth.height; ++y)
      for (int x = 0; x < truth.width; ++x) mosaic.at(x, y) = truth.planes[channel(x, y)].at(x, y);
    std::printf("  %-22s %6.2f / %6.2f\n", name,
                cpsnr(demosaic(sim::mosaic_of(mosaic, {0, 1, 1, 2})), truth),
                cpsnr(libraw_ahd(truth, folder / "m.dng"), truth));
  };
  for (std::uint32_t seed : {11u, 22u, 33u, 44u}) {
    const Image scene = sim::HarbourScene({900, 600}, seed).render(0.2 * (seed / 11), 0);
    float most = 0;
    for (float v : scene.planes[1].data) most = std::max(most, v);
    double mean = 0;
    for (float v : scene.planes[1].data) mean += v;
    mean /= static_cast<double>(scene.planes[1].data.size());
    char name[32];
    std::snprintf(name, sizeof name, "harbour, seed %u", seed);
    row(name, camera_rgb(scene, 0.18 / mean));
  }
  row("zone plate", zone_plate(600, 600));
}

// Width of a vertical edge from 10 to 90 %, in pixels, averaged over its rows.
double edge_width(const Encoded8& e, int x0, int x1, int y0, int y1) {
  std::vector<double> line(x1 - x0, 0);
  for (int y = y0; y < y1; ++y)
    for (int x = x0; x < x1; ++x) line[x - x0] += e.row(y)[3 * x + 1];
  const double low = line.front(), high = line.back();
  auto cross = [&](double share) {
    const double level = low + share * (high - low);
    for (std::size_t i = 1; i < line.size(); ++i)
      if ((line[i] - level) * (high - low) >= 0)
        return static_cast<double>(i) - (line[i] - level) / (line[i] - line[i - 1]);
    return 0.0;
  };
  return cross(0.9) - cross(0.1);
}

double psnr8(const Encoded8& a, const Encoded8& b) {
  double sum = 0;
  for (std::size_t i = 0; i < a.data.size(); ++i) {
    const double d = static_cast<double>(a.data[i]) - b.data[i];
    sum += d * d;
  }
  return 10 * std::log10(255.0 * 255.0 * static_cast<double>(a.data.size()) / sum);
}

void noise_figures() {
  std::printf("Noise at ISO 3200, developed frame (PSNR dB, edge width px, ms)\n");
  // The harbour, with a plain edge in its lower left to measure sharpness on.
  Image scene = sim::HarbourScene({900, 600}, 57).render(0.55, 0);
  double mean = 0;
  for (float v : scene.planes[1].data) mean += v / static_cast<double>(scene.planes[1].data.size());
  for (int y = 460; y < 580; ++y)
    for (int x = 20; x < 180; ++x)
      for (auto& p : scene.planes) p.at(x, y) = static_cast<float>((x < 100 ? 0.5 : 2.2) * mean);
  sim::CameraOptions camera;
  camera.dust = camera.hot_pixels = false;
  sim::Shot shot;
  shot.iso_thirds = 15;
  shot.aperture_thirds = 15;
  shot.shutter_thirds =
      static_cast<int>(std::lround(3 * std::log2(0.12 / (1750 * mean)) - 15 + 15));
  auto frame = [&](bool noisy) {
    camera.noise = noisy;
    const auto raw = sim::expose(scene, shot, camera);
    SensorFrame f;
    Plane light(900, 600);
    for (std::size_t i = 0; i < raw.data.size(); ++i)
      light.data[i] = static_cast<float>(raw.data[i] - sim::kBlack) / (sim::kWhite - sim::kBlack);
    f.mosaic = sim::mosaic_of(light, {0, 1, 1, 2});
    f.colour = sim::camera_colour();
    return f;
  };
  const SensorFrame noisy = frame(true);
  PictureRecipe s;
  s.look = neutral_look(5600, 0);
  s.look[Param::exposure] = 0.6;
  s.placement.size = {900, 600};
  s.source.info.iso = 3200;
  auto developed = [&](const SensorFrame& f, double amount) {
    s.look[Param::noise] = s.look[Param::colour_noise] = amount;
    return to_srgb8(develop_frame(f, s));
  };
  const Encoded8 clean = developed(frame(false), 0), plain = developed(noisy, 0);
  using Clock = std::chrono::steady_clock;
  auto ms = [](Clock::time_point from) {
    return 1e3 * std::chrono::duration<double>(Clock::now() - from).count();
  };
  auto print = [&](const char* name, const Encoded8& e, double time) {
    std::printf("  %-22s %6.2f  %5.2f  %7.1f\n", name, psnr8(e, clean),
                edge_width(e, 86, 114, 470, 570), time);
  };
  print("clean", clean, 0);
  print("as it is", plain, 0);
  for (double amount : {35.0, 50.0, 70.0}) {
    const auto t0 = Clock::now();
    (void)developed(noisy, 0);
    const double without = ms(t0);
    const auto t1 = Clock::now();
    const Encoded8 e = developed(noisy, amount);
    char name[32];
    std::snprintf(name, sizeof name, "ours, %.0f", amount);
    print(name, e, ms(t1) - without);
  }
  cv::Mat in(600, 900, CV_8UC3, const_cast<std::uint8_t*>(plain.data.data())), out;
  for (float h : {2.0f, 3.0f, 4.5f, 7.0f}) {
    const auto t0 = Clock::now();
    cv::fastNlMeansDenoisingColored(in, out, h, h);
    const double time = ms(t0);
    Encoded8 e(900, 600);
    std::copy(out.data, out.data + e.data.size(), e.data.begin());
    char name[40];
    std::snprintf(name, sizeof name, "non-local means, h %.1f", h);
    print(name, e, time);
  }
}

// The same file through LibRaw: its own interpolation and conversion, to linear Rec. 2020.
Image libraw_picture(const fs::path& file) {
  auto raw = std::make_unique<LibRaw>();
  auto& p = raw->imgdata.params;
  p.output_color = 5;  // XYZ
  p.output_bps = 16;
  p.gamm[0] = p.gamm[1] = 1;
  p.no_auto_bright = 1;
  p.use_camera_wb = 1;
  if (raw->open_file(file.c_str()) || raw->unpack() || raw->dcraw_process()) std::exit(1);
  int w = 0, h = 0, colors = 0, bits = 0;
  raw->get_mem_image_format(&w, &h, &colors, &bits);
  std::vector<std::uint16_t> pixels(static_cast<std::size_t>(w) * h * 3);
  raw->copy_mem_image(pixels.data(), w * 6, 0);
  Image out(w, h);
  for (std::size_t i = 0; i < out.planes[0].data.size(); ++i) {
    const Vec3 rgb = xyz_to_rec2020() * Vec3{pixels[3 * i] / 65535.0, pixels[3 * i + 1] / 65535.0,
                                             pixels[3 * i + 2] / 65535.0};
    for (int c = 0; c < 3; ++c) out.planes[c].data[i] = static_cast<float>(rgb[c]);
  }
  return out;
}

void colour_figures(const fs::path& folder) {
  std::printf("Colour of the 24-patch chart, CIEDE2000 (ours mean, most / LibRaw mean, most)\n");
  const std::pair<const char*, sim::Spectrum> lights[] = {
      {"D65", sim::daylight(6504)}, {"D50", sim::daylight(5003)}, {"A", sim::planckian(2856)}};
  for (const auto& [name, light] : lights) {
    const fs::path file = folder / "chart.dng";
    sim::Shot shot;
    shot.time = 1948732200;
    sim::DngLayout layout;
    layout.colour = sim::fitted_colour(light);
    const auto dng = sim::make_dng(sim::shoot_chart(light), shot, {}, {}, layout);
    if (!dng || !write_file(file, *dng, IfExists::replace, false)) std::exit(1);
    SensorFrame frame = *read_frame(file);
    const auto as_shot = as_shot_temperature(frame.colour);
    PictureRecipe s;
    s.look = neutral_look(as_shot.kelvin, as_shot.tint);
    s.placement.size = sim::chart_size();
    auto figures = [&](const Image& image) {
      double mean = 0, most = 0;
      for (double d : sim::chart_differences(image, light))
        mean += d / 24, most = std::max(most, d);
      std::printf("  %5.2f %5.2f", mean, most);
    };
    std::printf("  %-4s %5.0f K %+5.1f", name, as_shot.kelvin, as_shot.tint);
    figures(develop_frame(std::move(frame), s));
    std::printf("  /");
    figures(libraw_picture(file));
    std::printf("\n");
  }
}

}  // namespace

int main() {
  const fs::path folder = fs::temp_directory_path() / "tsukimi-quality";
  fs::create_directories(folder);
  demosaic_figures(folder);
  colour_figures(folder);
  noise_figures();
  fs::remove_all(folder);
  return 0;
}
