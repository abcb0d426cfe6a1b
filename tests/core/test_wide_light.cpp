// SPDX-License-Identifier: GPL-3.0-or-later
// Films of wide light: their signals against the standards' numbers, and what FFmpeg decodes
// against the frames of the same pass.
#include "develop/wide_light.h"

#include <nlohmann/json.hpp>
#include <numeric>

#include "core/cli_runner.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::run;
using test::TempDir;

// ITU-R BT.2408-7, table 1: signals of white and of 18 % grey, in per cent.
TEST(WideLight, SignalsAreThoseOfTheStandards) {
  EXPECT_NEAR(pq_signal(203), 0.58, 0.002);
  EXPECT_NEAR(pq_signal(26), 0.38, 0.003);
  EXPECT_NEAR(pq_signal(10000), 1, 1e-4);
  EXPECT_NEAR(pq_signal(100), 0.5081, 2e-4);
  EXPECT_NEAR(hlg_signal(1), 1, 1e-5);
  EXPECT_NEAR(hlg_signal(1.0f / 12), 0.5, 1e-5);
  for (float light : {0.05f, 1.0f, 30.0f, 203.0f, 900.0f, 4000.0f})
    EXPECT_NEAR(pq_light(pq_signal(light)), light, 2e-3 * light);
  // White on an HLG screen of 1,000 cd/m² is three quarters of the signal, and so it is here.
  Image white(8, 8);
  for (auto& plane : white.planes) std::ranges::fill(plane.data, 1.0f);
  float signal = 0;
  const LightLevels levels = encode_wide_rows(
      white, FilmLight::hlg, [&](int y, const float* r, const float*, const float*) {
        if (y == 3) signal = r[3];
      });
  EXPECT_NEAR(signal, 0.75, 0.001);
  EXPECT_NEAR(levels.most, 203, 0.01);
  EXPECT_NEAR(levels.mean, 203, 0.01);
}

TEST(WideLight, AScreenBendsOnlyWhatIsNearWhite) {
  Image image(4, 1);
  const float in[] = {0.2f, 0.74f, 1.5f, 40.0f};
  for (int x = 0; x < 4; ++x)
    for (std::size_t c = 0; c < 3; ++c) image.planes[c].at(x, 0) = in[x] * (c == 0 ? 1.0f : 0.5f);
  bring_into_range(image);
  EXPECT_EQ(image.planes[0].at(0, 0), 0.2f);
  EXPECT_EQ(image.planes[0].at(1, 0), 0.74f);
  for (int x = 2; x < 4; ++x) {
    EXPECT_LT(image.planes[0].at(x, 0), 1);
    EXPECT_GT(image.planes[0].at(x, 0), image.planes[0].at(x - 1, 0));
    EXPECT_NEAR(image.planes[1].at(x, 0) / image.planes[0].at(x, 0), 0.5, 1e-5) << "hue";
  }
}

// Bytes of a command.
std::vector<std::uint8_t> output_of(const std::string& command) {
  FILE* pipe = ::popen(command.c_str(), "r");
  std::vector<std::uint8_t> out;
  std::uint8_t buffer[1 << 16];
  while (const std::size_t n = std::fread(buffer, 1, sizeof buffer, pipe))
    out.insert(out.end(), buffer, buffer + n);
  ::pclose(pipe);
  return out;
}

constexpr int kWide = 240, kHigh = 160, kFilmFrames = 6, kBlock = 8;

// In double and by the letter of BT.2100, not by the code under test.
double light_of_pq(double e) {
  const double m1 = 2610.0 / 16384, m2 = 2523.0 / 32, c1 = 3424.0 / 4096, c2 = 2413.0 / 128,
               c3 = 2392.0 / 128;
  const double p = std::pow(std::max(e, 0.0), 1 / m2);
  return 10000 * std::pow(std::max(p - c1, 0.0) / (c2 - c3 * p), 1 / m1);
}
double scene_of_hlg(double e) {
  const double a = 0.17883277, b = 1 - 4 * a, c = 0.5 - a * std::log(4 * a);
  return e <= 0.5 ? e * e / 3 : (std::exp((e - c) / a) + b) / 12;
}

// Mean light of blocks in cd/m², red, green, blue; of a frame of a film in planes of 10 bit 4:2:0.
std::vector<double> blocks_of_film(const std::uint16_t* yuv, const std::string& transfer) {
  const std::uint16_t *cb = yuv + kWide * kHigh, *cr = cb + kWide * kHigh / 4;
  std::vector<double> out;
  for (int by = 0; by < kHigh / kBlock; ++by)
    for (int bx = 0; bx < kWide / kBlock; ++bx) {
      double sum[3] = {0, 0, 0};
      for (int y = by * kBlock; y < (by + 1) * kBlock; ++y)
        for (int x = bx * kBlock; x < (bx + 1) * kBlock; ++x) {
          const double l = (yuv[y * kWide + x] - 64) / 876.0;
          const int k = y / 2 * (kWide / 2) + x / 2;
          const double b = (cb[k] - 512) / 896.0, r = (cr[k] - 512) / 896.0;
          const double red = l + 1.4746 * r, blue = l + 1.8814 * b,
                       green = (l - 0.2627 * red - 0.0593 * blue) / 0.6780;
          double light[3] = {red, green, blue};
          if (transfer == "pq") {
            for (double& v : light) v = light_of_pq(v);
          } else {
            for (double& v : light) v = scene_of_hlg(v);
            const double luminance = 0.2627 * light[0] + 0.6780 * light[1] + 0.0593 * light[2];
            for (double& v : light) v *= 1000 * std::pow(std::max(luminance, 1e-9), 0.2);
          }
          for (int c = 0; c < 3; ++c) sum[c] += light[c] / (kBlock * kBlock);
        }
      out.insert(out.end(), sum, sum + 3);
    }
  return out;
}

struct Blocks {
  std::vector<double> light;  // as above
  std::vector<char> even;     // of little texture: its colour is not shared out over four pixels
};
Blocks blocks_of_exr(const fs::path& file) {
  const auto bytes =
      output_of("ffmpeg -v error -i '" + file.string() + "' -f rawvideo -pix_fmt gbrpf32le -");
  std::vector<float> planes(bytes.size() / sizeof(float));
  std::memcpy(planes.data(), bytes.data(), bytes.size());
  EXPECT_EQ(planes.size(), static_cast<std::size_t>(3 * kWide * kHigh));
  const int place[] = {2, 0, 1};
  Blocks out;
  for (int by = 0; by < kHigh / kBlock; ++by)
    for (int bx = 0; bx < kWide / kBlock; ++bx) {
      double widest = 1;
      for (const int plane : place) {
        double sum = 0, least = 1e9, most = 0;
        for (int y = by * kBlock; y < (by + 1) * kBlock; ++y)
          for (int x = bx * kBlock; x < (bx + 1) * kBlock; ++x) {
            const double v =
                std::max(0.0f, planes[static_cast<std::size_t>((plane * kHigh + y) * kWide + x)]);
            sum += v, least = std::min(least, v), most = std::max(most, v);
          }
        out.light.push_back(203 * sum / (kBlock * kBlock));
        widest = std::max(widest, most / std::max(least, 1e-6));
      }
      for (int c = 0; c < 3; ++c) out.even.push_back(widest < 1.6);
    }
  return out;
}

class WideFilm : public testing::TestWithParam<const char*> {};

// Brackets, so that there is light far above white.
TEST_P(WideFilm, IsTheLightOfTheFramesOfTheSamePass) {
  const std::string transfer = GetParam();
  const TempDir dir;
  const std::string folder = (dir / "dawn").string(), shoot = (dir / "s.tsukimi").string(),
                    film = (dir / "film.mp4").string(), frames = (dir / "frames").string();
  ASSERT_EQ(run("simulate --out " + folder + " --frames " + std::to_string(kFilmFrames) +
                " --size 240x160 --seed 4471 --brackets 3 --no-gap --no-ruined --no-wobble "
                "--no-wrong-aperture --no-hot-pixels")
                .code,
            0);
  ASSERT_EQ(run("plan " + folder + " --out " + shoot + " --set exposure=1.3 --set noise=80").code,
            0);
  const auto made =
      run("film " + shoot + " --to " + film + " --transfer " + transfer + " --quality 100");
  ASSERT_EQ(made.code, 0) << made.err;
  ASSERT_EQ(
      run("export " + shoot + " --to " + frames + " --format exr --space rec2020 --name f_#").code,
      0);
  const auto bytes = output_of("ffmpeg -v error -i '" + film +
                               "' -f rawvideo -pix_fmt yuv420p10le -vsync passthrough -");
  constexpr std::size_t kFrame = kWide * kHigh * 3 / 2;
  ASSERT_EQ(bytes.size(), kFrame * 2 * kFilmFrames);
  std::vector<std::uint16_t> film_numbers(bytes.size() / 2);
  std::memcpy(film_numbers.data(), bytes.data(), bytes.size());
  int compared = 0, above_white = 0, far = 0, channels = 0;
  double sum = 0, squares = 0;
  for (int f = 0; f < kFilmFrames; ++f) {
    const auto a =
        blocks_of_film(film_numbers.data() + kFrame * static_cast<std::size_t>(f), transfer);
    const Blocks b = blocks_of_exr(fs::path(frames) / ("f_" + std::to_string(f + 1) + ".exr"));
    for (std::size_t i = 0; i < a.size(); i += 3) {
      const auto luminance = [i](const std::vector<double>& of) {
        return 0.2627 * of[i] + 0.6780 * of[i + 1] + 0.0593 * of[i + 2];
      };
      const double light = luminance(b.light);
      // Below that a step of ten bits is more.
      if (!b.even[i] || light < 5 || light > 900) continue;
      ++compared;
      above_white += light > 220;
      far += std::fabs(luminance(a) - light) > 0.02 * light;
      for (std::size_t c = i; c < i + 3; ++c) {
        const double off = a[c] / b.light[c] - 1;
        sum += off, squares += off * off, ++channels;
      }
    }
  }
  EXPECT_GT(compared, 600);
  EXPECT_GT(above_white, 6);
  EXPECT_LT(far, compared / 100) << "the codec may change a few";
  EXPECT_NEAR(sum / channels, 0, 0.004) << "of red, green, blue: no bias";
  EXPECT_LT(std::sqrt(squares / channels), 0.02);
  const auto said = output_of(
      "ffprobe -v error -show_streams -show_entries "
      "stream_side_data -of json '" +
      film + "'");
  const auto probe = nlohmann::json::parse(said.begin(), said.end());
  const auto& stream = probe.at("streams")[0];
  EXPECT_EQ(stream.at("color_transfer"), transfer == "pq" ? "smpte2084" : "arib-std-b67");
  EXPECT_EQ(stream.at("color_primaries"), "bt2020");
  // The levels, from the frames themselves.
  double most = 0, mean = 0;
  for (int f = 1; f <= kFilmFrames; ++f) {
    const auto exr = output_of("ffmpeg -v error -i '" + frames + "/f_" + std::to_string(f) +
                               ".exr' -f rawvideo -pix_fmt gbrpf32le -");
    std::vector<float> p(exr.size() / sizeof(float));
    std::memcpy(p.data(), exr.data(), exr.size());
    double all = 0;
    const std::size_t n = p.size() / 3;
    for (std::size_t i = 0; i < n; ++i) {
      const double v = std::clamp(203.0 * std::max({p[i], p[n + i], p[2 * n + i]}), 0.0,
                                  transfer == "pq" ? 1e4 : 1e3);
      most = std::max(most, v), all += v / static_cast<double>(n);
    }
    mean = std::max(mean, all);
  }
  double max_content = 0, max_average = 0;
  for (const auto& side : stream.at("side_data_list")) {
    if (side.contains("max_content")) max_content = side.at("max_content");
    if (side.contains("max_average")) max_average = side.at("max_average");
  }
  EXPECT_NEAR(max_content, most, 1 + 0.001 * most);
  EXPECT_NEAR(max_average, mean, 1.01);
}

INSTANTIATE_TEST_SUITE_P(Both, WideFilm, testing::Values("pq", "hlg"));

TEST(WideLight, OnlyWhatCanHoldItIsAskedFor) {
  const TempDir dir;
  for (const auto& [file, options, what] : {std::tuple{"a.mp4", "--codec h264", "H.265"},
                                            {"a.mp4", "--bits 8", "10 bit"},
                                            {"a.mp4", "--space rec709", "Rec. 2020"},
                                            {"a.gif", "", ".gif"},
                                            {"a.mov", "--codec prores422", "H.265"}}) {
    const auto said = run("film " + (dir / "no.tsukimi").string() + " --to " +
                          (dir / file).string() + " --transfer pq " + options);
    EXPECT_EQ(said.code, 2) << options;
    EXPECT_NE(said.err.find(what), std::string::npos) << said.err;
  }
}

}  // namespace
}  // namespace tsukimi
