// Films: decoded again by FFmpeg's own program, measured against the light they were made of, cut
// off and gone on with.
#include <csignal>

#include "base/file.h"
#include "cli_runner.h"
#include "develop/display.h"
#include "develop/ycbcr.h"
#include "folder/sequence.h"
#include "output/film_segment.h"

namespace tsukimi {
namespace {

using test::Ran;
using test::run;
using test::shot_folder;

// What a command prints.
std::string said(const std::string& command) {
  FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
  std::string out;
  char text[4096];
  while (const std::size_t n = std::fread(text, 1, sizeof text, pipe)) out.append(text, n);
  ::pclose(pipe);
  return out;
}

std::string probed(const fs::path& film, const std::string& what) {
  std::string out = said("ffprobe -v error -select_streams v -count_packets -show_entries " + what +
                         " -of default=nw=1:nk=1 '" + film.string() + "'");
  while (!out.empty() && out.back() == '\n') out.pop_back();
  return out;
}

class FilmOnDisk : public ::testing::Test {
 protected:
  TempDir dir;
  fs::path shoot = dir / "harbour.tsukimi";
  void SetUp() override {
    const Ran r = run("plan " + shot_folder().string() + " --keys 0 --set contrast=10 --out " +
                      shoot.string());
    ASSERT_EQ(r.code, 0) << r.err;
  }
  Ran make(const std::string& name, const std::string& more = "") {
    return run("film " + shoot.string() + " --to " + (dir / name).string() + " " + more);
  }
};

struct Kind {
  const char *name, *options, *codec, *pixels;
};

void PrintTo(const Kind& k, std::ostream* out) { *out << k.name << " " << k.options; }

class FilmKinds : public FilmOnDisk, public ::testing::WithParamInterface<Kind> {};

TEST_P(FilmKinds, AreWholeAndSayWhatTheyAre) {
  const Kind& kind = GetParam();
  const Ran r = make(kind.name, std::string(kind.options) + " --fps 23.976");
  ASSERT_EQ(r.code, 0) << r.err;
  const fs::path film = dir / kind.name;
  EXPECT_EQ(probed(film, "stream=codec_name"), kind.codec);
  EXPECT_EQ(probed(film, "stream=pix_fmt"), kind.pixels);
  EXPECT_EQ(probed(film, "stream=nb_read_packets"), "12");
  EXPECT_EQ(probed(film, "stream=width,height"), "240\n160");
  EXPECT_EQ(probed(film, "stream=r_frame_rate"), "24000/1001");
  EXPECT_EQ(probed(film, "stream=sample_aspect_ratio"), "1:1");
  EXPECT_EQ(probed(film, "stream=color_range,color_space,color_transfer,color_primaries"),
            "tv\nbt709\nbt709\nbt709");
  EXPECT_EQ(probed(film, "format=start_time"), "0.000000");
  EXPECT_NEAR(std::stod(probed(film, "format=duration")), 12 * 1001 / 24000.0, 0.045);
  EXPECT_EQ(said("ffmpeg -v error -i '" + film.string() + "' -f null -"), "") << "it is decoded";
  EXPECT_FALSE(fs::exists(film.string() + ".parts"));
}

INSTANTIATE_TEST_SUITE_P(
    Codecs, FilmKinds,
    ::testing::Values(Kind{"a.mp4", "", "h264", "yuv420p"},
                      Kind{"a.mp4", "--bits 10 --chroma 422", "h264", "yuv422p10le"},
                      Kind{"a.mp4", "--codec h265 --bits 10", "hevc", "yuv420p10le"},
                      Kind{"a.mov", "", "prores", "yuv422p10le"},
                      Kind{"a.mov", "--codec prores4444", "prores", "yuv444p12le"},
                      Kind{"a.webm", "", "vp9", "yuv420p"},
                      Kind{"a.webm", "--codec av1", "av1", "yuv420p"},
                      Kind{"a.mkv", "", "ffv1", "yuv444p"}));

// Raw numbers as FFmpeg decodes them.
std::vector<std::uint16_t> decoded(const std::string& input, const std::string& pixels,
                                   std::size_t numbers) {
  FILE* pipe = ::popen(
      ("ffmpeg -v error -i '" + input + "' -f rawvideo -pix_fmt " + pixels + " -").c_str(), "r");
  std::vector<std::uint16_t> out(numbers);
  const std::size_t n = std::fread(out.data(), 2, numbers, pipe);
  ::pclose(pipe);
  EXPECT_EQ(n, numbers) << input;
  return out;
}

// Luma of the film against that of the frames of the same pass, which are sRGB: by way of light.
TEST_F(FilmOnDisk, IsThePictureThatTheFramesAre) {
  const Ran r = make(
      "a.mkv", "--codec ffv1 --bits 10 --also-frames " + (dir / "f").string() + ":f_##:tiff16");
  ASSERT_EQ(r.code, 0) << r.err;
  ASSERT_EQ(make("b.mp4").code, 0);
  constexpr std::size_t kPixels = 240 * 160;
  const auto rgb = decoded((dir / "f" / "f_%02d.tif").string(), "rgb48le", 12 * 3 * kPixels);
  const Transfer &from = info(ColourSpace::srgb).transfer, &to = info(ColourSpace::rec709).transfer;
  const auto again = [&](std::uint16_t v) { return to.encode(from.decode(v / 65535.0)); };
  for (const auto& [name, pixels, scale, least] :
       {std::tuple{"a.mkv", "yuv444p10le", 4.0, 52.0}, {"b.mp4", "yuv420p16le", 256.0, 42.0}}) {
    const std::size_t planes = std::string(name) == "a.mkv" ? 6 : 3;  // halves of a luma plane
    const auto film = decoded((dir / name).string(), pixels, 12 * planes * kPixels / 2);
    double sum = 0;
    for (std::size_t k = 0; k < 12; ++k)
      for (std::size_t i = 0; i < kPixels; ++i) {
        const std::uint16_t* p = rgb.data() + 3 * (k * kPixels + i);
        const double wanted = 0.2126 * again(p[0]) + 0.7152 * again(p[1]) + 0.0722 * again(p[2]);
        const double is = (film[k * planes * kPixels / 2 + i] / scale - 16) / 219;
        sum += (is - wanted) * (is - wanted);
      }
    EXPECT_GT(-10 * std::log10(sum / (12 * kPixels)), least) << name << ", dB";
  }
}

TEST(YCbCr, GreyStaysGreyAndEndsAreExact) {
  Image image(64, 16);
  for (auto& p : image.planes)
    for (int y = 0; y < 16; ++y)
      for (int x = 0; x < 64; ++x) p.at(x, y) = static_cast<float>(x) / 63;
  for (int bits : {8, 10})
    for (auto sampling : {Sampling::full, Sampling::half_across, Sampling::half_both}) {
      const YCbCr film = to_ycbcr(image, ColourSpace::rec709, bits, sampling);
      const int unit = 1 << (bits - 8);
      EXPECT_EQ(film.planes[0][0], 16 * unit);
      EXPECT_EQ(film.planes[0][63], 235 * unit);
      for (int p = 1; p <= 2; ++p) {
        ASSERT_EQ(film.planes[static_cast<std::size_t>(p)].size(),
                  static_cast<std::size_t>(film.width_of(p) * film.height_of(p)));
        for (auto v : film.planes[static_cast<std::size_t>(p)]) EXPECT_NEAR(v, 128 * unit, 1);
      }
      for (int x = 0; x < 64; ++x) {
        const double wanted =
            (16 + 219 * info(ColourSpace::rec709).transfer.encode(x / 63.0)) * unit;
        EXPECT_NEAR(film.planes[0][static_cast<std::size_t>(x)], wanted, 1.01) << x;
      }
    }
}

TEST(YCbCr, ColoursAreThoseOfTheStandard) {
  // Pure red of Rec. 709 in narrow range: 63, 102, 240 (ITU-R BT.709 with 219 and 224 steps).
  Image red(8, 8);
  const Mat3& m = srgb_to_rec2020();
  for (int c = 0; c < 3; ++c)
    std::ranges::fill(red.planes[static_cast<std::size_t>(c)].data, static_cast<float>(m(c, 0)));
  const YCbCr film = to_ycbcr(red, ColourSpace::rec709, 8, Sampling::full);
  EXPECT_NEAR(film.planes[0][9], 62.6, 1.1);
  EXPECT_NEAR(film.planes[1][9], 102.3, 1.1);
  EXPECT_NEAR(film.planes[2][9], 240, 1.1);
}

// Cut off in the middle: what goes on gives the bytes of one that was never disturbed.
TEST_F(FilmOnDisk, KilledAtAnyMomentItGoesOnToTheSameBytes) {
  for (const char* name : {"a.mp4", "a.mov"}) {
    const std::string rate = " --fps 1";  // three segments
    ASSERT_EQ(make(name, rate).code, 0);
    const auto whole = *read_file(dir / name);
    fs::remove(dir / name);
    for (const char* after : {"0.05", "0.12", "0.25", "0.4"}) {
      run("film " + shoot.string() + " --to " + (dir / name).string() + rate,
          std::string("timeout -s KILL ") + after + " ");
      if (fs::exists(dir / name)) break;  // it was faster
    }
    if (!fs::exists(dir / name)) {
      const Ran rest = make(name, rate);
      ASSERT_EQ(rest.code, 0) << rest.err;
    }
    EXPECT_EQ(*read_file(dir / name), whole) << name;
    EXPECT_FALSE(fs::exists((dir / name).string() + ".parts"));
    for (const auto& e : fs::directory_iterator(dir.path()))
      EXPECT_NE(e.path().extension(), ".part") << "nothing is left";
    fs::remove(dir / name);
  }
}

TEST_F(FilmOnDisk, SegmentsThatAreThereAreKept) {
  // A frame that is away: the film is not finished, what is encoded stays.
  const fs::path moved = dir / "moved";
  fs::copy(shot_folder(), moved, fs::copy_options::recursive);
  ASSERT_EQ(run("plan " + moved.string() + " --out " + shoot.string()).code, 0);
  const auto frames = scan_folder(moved)->frames;
  fs::create_directories(dir / "aside");
  fs::rename(moved / frames[7].file, dir / "aside" / "away.dng");
  const Ran hole = make("b.mp4");
  EXPECT_EQ(hole.code, 1);
  EXPECT_NE(hole.err.find("lacks frame 8"), std::string::npos) << hole.err;
  EXPECT_FALSE(fs::exists(dir / "b.mp4"));
  fs::rename(dir / "aside" / "away.dng", moved / frames[7].file);
  EXPECT_EQ(make("b.mp4").code, 0);
}

TEST_F(FilmOnDisk, WhatCannotBeIsSaidBeforeAnythingIsMade) {
  EXPECT_EQ(make("a.avi").code, 2);
  EXPECT_EQ(make("a.webm", "--codec h264").code, 2);
  EXPECT_EQ(make("a.mov", "--codec prores422 --bits 8").code, 2);
  EXPECT_EQ(make("a.mp4", "--bitrate fast").code, 2);
  std::ofstream(dir / "a.mp4") << "a holiday";
  const Ran there = make("a.mp4");
  EXPECT_EQ(there.code, 1);
  test::expect_one_line(there, "a.mp4 is there already");
  EXPECT_EQ(fs::file_size(dir / "a.mp4"), 9u);
  EXPECT_EQ(make("a.mp4", "--overwrite").code, 0);
  EXPECT_EQ(probed(dir / "a.mp4", "stream=nb_read_packets"), "12");
}

TEST(Segments, DamageIsSeen) {
  Segment s{2, 100, 40, {1, 2, 3}, {{0, -1, true, {9, 8}}, {1, 0, false, {7}}}};
  auto bytes = bytes_of(s);
  const auto back = segment_of(bytes);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->frames, 2);
  EXPECT_EQ(back->packets[0].decoded, -1);
  EXPECT_EQ(back->packets[1].data, s.packets[1].data);
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    auto bad = bytes;
    bad[i] ^= 4;
    EXPECT_FALSE(segment_of(bad)) << i;
    EXPECT_FALSE(segment_of(std::span(bytes).first(i))) << i;
  }
}

TEST(Rates, AreExact) {
  EXPECT_EQ(rate_of(24), (Rate{24, 1}));
  EXPECT_EQ(rate_of(23.976), (Rate{24000, 1001}));
  EXPECT_EQ(rate_of(29.97), (Rate{30000, 1001}));
  EXPECT_EQ(rate_of(59.94), (Rate{60000, 1001}));
  EXPECT_EQ(rate_of(12.5), (Rate{12500, 1000}));
}

}  // namespace
}  // namespace tsukimi
