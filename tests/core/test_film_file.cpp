// SPDX-License-Identifier: GPL-3.0-or-later
// Films: decoded again by FFmpeg's own program, measured against the light they were made of, cut
// off and gone on with.
#include <exiv2/exiv2.hpp>
#include <sstream>

#include "base/file.h"
#include "cli_runner.h"
#include "develop/display.h"
#include "develop/ycbcr.h"
#include "folder/sequence.h"
#include "output/export_manifest.h"
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

// At one frame a second a segment has four: this film is joined of three.
TEST_P(FilmKinds, AreWholeAndSayWhatTheyAre) {
  const Kind& kind = GetParam();
  for (const auto& [fps, rate, seconds] :
       {std::tuple{"23.976", "24000/1001", 1001 / 24000.0}, {"1", "1/1", 1.0}}) {
    const Ran r = make(kind.name, std::string(kind.options) + " --overwrite --fps " + fps);
    ASSERT_EQ(r.code, 0) << r.err;
    const fs::path film = dir / kind.name;
    EXPECT_EQ(probed(film, "stream=codec_name"), kind.codec);
    EXPECT_EQ(probed(film, "stream=pix_fmt"), kind.pixels);
    EXPECT_EQ(probed(film, "stream=nb_read_packets"), "12");
    EXPECT_EQ(probed(film, "stream=width,height"), "240\n160");
    EXPECT_EQ(probed(film, "stream=r_frame_rate"), rate);
    EXPECT_EQ(probed(film, "stream=sample_aspect_ratio"), "1:1");
    EXPECT_EQ(probed(film, "stream=color_range,color_space,color_transfer,color_primaries"),
              "tv\nbt709\nbt709\nbt709");
    EXPECT_NEAR(std::stod(probed(film, "format=duration")), 12 * seconds, 0.045);
    EXPECT_EQ(said("ffmpeg -v warning -i '" + film.string() + "' -f null - "), "") << "decoded";
    std::istringstream times(probed(film, "frame=pts_time"));
    double time = -1;
    for (int i = 0; i < 12; ++i) {
      ASSERT_TRUE(times >> time) << i;
      EXPECT_NEAR(time, i * seconds, 0.0011) << i;
    }
    EXPECT_FALSE(fs::exists(film.string() + ".parts"));
  }
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
  ASSERT_EQ(make("b.mp4", "--fps 1").code, 0);  // of three segments
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

// Key frames too: at one frame a second every fourth is one.
TEST_F(FilmOnDisk, NoFrameOfAnyCodecIsBrighterThanItIs) {
  constexpr std::size_t kPixels = 240 * 160, kFrame = kPixels * 3 / 2;
  auto brightness = [&](const std::string& name) {
    const auto film = decoded((dir / name).string(), "yuv420p16le", 12 * kFrame);
    std::vector<double> out;
    for (std::size_t k = 0; k < 12; ++k) {
      const auto* luma = film.data() + k * kFrame;
      out.push_back(std::accumulate(luma, luma + kPixels, 0.0) / kPixels / 256);
    }
    return out;
  };
  ASSERT_EQ(make("a.mkv", "--codec ffv1 --bits 10 --fps 1").code, 0);
  const auto wanted = brightness("a.mkv");
  for (const auto& [name, codec] : {std::pair{"b.mp4", "h264"},
                                    {"c.mp4", "h265"},
                                    {"d.mov", "prores422hq"},
                                    {"e.webm", "vp9"},
                                    {"f.webm", "av1"}}) {
    ASSERT_EQ(make(name, "--fps 1 --codec " + std::string(codec)).code, 0);
    const auto is = brightness(name);
    for (std::size_t k = 0; k < 12; ++k) EXPECT_NEAR(is[k], wanted[k], 0.2) << codec << " " << k;
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

// Colour differences stand on the left one of two pixels and between two rows (BT.709, as H.264 and
// its kin expect): half a pixel off, edges have fringes.
TEST(YCbCr, ColourDifferencesStandWhereTheyAreExpected) {
  constexpr int kWidth = 64, kHeight = 48;
  for (bool across : {true, false}) {
    // From one colour to another of the same brightness, evenly.
    Image image(kWidth, kHeight);
    for (int y = 0; y < kHeight; ++y)
      for (int x = 0; x < kWidth; ++x) {
        const float t = across ? static_cast<float>(x) / kWidth : static_cast<float>(y) / kHeight;
        image.planes[0].at(x, y) = 0.2f + 0.2f * t;
        image.planes[1].at(x, y) = 0.3f;
        image.planes[2].at(x, y) = 0.4f - 0.2f * t;
      }
    const YCbCr full = to_ycbcr(image, ColourSpace::rec709, 10, Sampling::full);
    for (Sampling sampling : {Sampling::half_across, Sampling::half_both}) {
      const YCbCr half = to_ycbcr(image, ColourSpace::rec709, 10, sampling);
      double off = 0, slope = 0;
      int count = 0;
      for (std::size_t p : {1u, 2u})
        for (int y = 4; y < half.height_of(1) - 4; ++y)
          for (int x = 4; x < half.width_of(1) - 4; ++x) {
            auto whole = [&](int px, int py) {
              return static_cast<double>(
                  full.planes[p][static_cast<std::size_t>(py * kWidth + px)]);
            };
            const bool rows = sampling == Sampling::half_both;
            const int px = 2 * x, py = rows ? 2 * y : y;
            const double there = rows ? (whole(px, py) + whole(px, py + 1)) / 2 : whole(px, py);
            const double step = across ? whole(px + 4, py) - whole(px - 4, py)
                                       : whole(px, py + 4) - whole(px, py - 4);
            const double is = half.planes[p][static_cast<std::size_t>(y * half.width_of(1) + x)];
            off += (is - there) * (step > 0 ? 1 : -1);
            slope += std::fabs(step) / 8;
            ++count;
          }
      EXPECT_LT(std::fabs(off / slope), 0.06) << "pixels; " << kSamplings[sampling].name << across;
      EXPECT_GT(slope / count, 1) << "that is seen";
    }
  }
}

// Killed whenever it waits for the disk, or left without room: what goes on gives the bytes of one
// that was never disturbed.
TEST_F(FilmOnDisk, CutOffAtAnyMomentItGoesOnToTheSameBytes) {
  for (const char* name : {"a.mp4", "a.mov"}) {
    const std::string command =
        "film " + shoot.string() + " --to " + (dir / name).string() + " --fps 1";
    ASSERT_EQ(run(command).code, 0);
    const auto whole = *read_file(dir / name);
    std::vector<std::string> ends;
    for (int i = 1; i <= 7; ++i) ends.push_back("KILL_AT_FSYNC=" + std::to_string(i));
    const auto size = whole.size();
    for (auto bytes : {std::size_t{0}, size / 2, size + size / 2})
      ends.push_back("FAIL_WRITE_AFTER=" + std::to_string(bytes));
    for (const std::string& end : ends) {
      fs::remove(dir / name);
      fs::remove(dir / kManifestName);
      const Ran cut = run(command, test::faulty(end));
      ASSERT_NE(cut.code, 0) << end;
      EXPECT_FALSE(fs::exists(dir / name)) << end;
      if (end.starts_with("FAIL")) test::expect_one_line(cut, "disk is full");
      const Ran rest = run(command);
      ASSERT_EQ(rest.code, 0) << rest.err;
      EXPECT_EQ(*read_file(dir / name), whole) << name << " " << end;
      EXPECT_FALSE(fs::exists((dir / name).string() + ".parts"));
      for (const auto& e : fs::directory_iterator(dir.path()))
        EXPECT_FALSE(e.path().filename().string().ends_with(".part")) << e.path();
    }
  }
}

// A segment that a disk lost is seen, and made anew.
TEST_F(FilmOnDisk, ADamagedSegmentIsMadeAnew) {
  ASSERT_EQ(make("whole.mp4", "--fps 1").code, 0);
  ASSERT_EQ(make("a.mp4", "--fps 1 --part 1/2").code, 0);
  ASSERT_EQ(make("a.mp4", "--fps 1 --part 2/2").code, 0);
  for (const auto& e : fs::directory_iterator(dir / "a.mp4.parts")) {
    if (e.path().extension() != ".segment") continue;  // the folder's mark lies there too
    auto bytes = *read_file(e.path());
    bytes[bytes.size() / 2] ^= 8;
    ASSERT_TRUE(write_file(e.path(), bytes, IfExists::replace));
    break;
  }
  const Ran seen = make("a.mp4", "--fps 1");
  EXPECT_EQ(seen.code, 1);
  test::expect_one_line(seen, "is damaged");
  EXPECT_FALSE(fs::exists(dir / "a.mp4"));
  const Ran mended = make("a.mp4", "--fps 1");
  EXPECT_EQ(mended.code, 0) << mended.err;
  EXPECT_NE(mended.out.find("4 encoded now"), std::string::npos) << mended.out;
  EXPECT_TRUE(*read_file(dir / "a.mp4") == *read_file(dir / "whole.mp4"));
}

// Only what a changed decision touches is made again.
TEST_F(FilmOnDisk, SegmentsOfUnchangedFramesAreKept) {
  const std::string command =
      "film " + shoot.string() + " --to " + (dir / "a.mp4").string() + " --fps 1";
  ASSERT_NE(run(command, test::faulty("KILL_AT_FSYNC=6")).code, 0);  // three are there
  ASSERT_EQ(run("plan --overwrite " + shot_folder().string() + " --keys 0,7,8 --set contrast=10 " +
                "--easing hold --set contrast=30@8 --out " + shoot.string())
                .code,
            0);
  const Ran r = run(command);
  ASSERT_EQ(r.code, 0) << r.err;
  EXPECT_NE(r.out.find("12 frames, 4 encoded now"), std::string::npos) << r.out;
}

// A film's own time is UTC: that of the first capture, by the zone of its clock.
TEST_F(FilmOnDisk, SaysWhenAndByWhom) {
  const fs::path zoned = dir / "zoned";
  fs::copy(shot_folder(), zoned);
  for (const auto& e : fs::directory_iterator(zoned)) {
    if (e.path().extension() != ".dng") continue;
    auto image = Exiv2::ImageFactory::open(e.path().string());
    image->readMetadata();
    image->exifData()["Exif.Photo.OffsetTimeOriginal"] = std::string("+02:00");
    image->exifData()["Exif.Image.Artist"] = std::string("Jon Ferrier");
    image->writeMetadata();
  }
  ASSERT_EQ(run("plan --overwrite " + zoned.string() + " --out " + shoot.string()).code, 0);
  ASSERT_EQ(make("z.mp4").code, 0);
  const auto probe = said("ffprobe -v error -show_entries format_tags " + (dir / "z.mp4").string());
  std::string wanted = format_time(scan_folder(zoned)->frames[0].time - 7200).substr(0, 19);
  wanted[10] = 'T';
  EXPECT_NE(probe.find("creation_time=" + wanted), std::string::npos) << probe << wanted;
  EXPECT_NE(probe.find("artist=Jon Ferrier"), std::string::npos) << probe;
}

TEST_F(FilmOnDisk, AFrameThatIsAwayLeavesTheRestDone) {
  // A frame that is away: the film is not finished, what is encoded stays.
  const fs::path moved = dir / "moved";
  fs::copy(shot_folder(), moved, fs::copy_options::recursive);
  ASSERT_EQ(run("plan --overwrite " + moved.string() + " --out " + shoot.string()).code, 0);
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
  EXPECT_EQ(make("a.mov", "--bitrate 50M").code, 2) << "ProRes takes what it takes";
  std::ofstream(dir / "a.mp4") << "a holiday";
  const Ran there = make("a.mp4");
  EXPECT_EQ(there.code, 1);
  test::expect_one_line(there, "a.mp4 is there already");
  EXPECT_EQ(fs::file_size(dir / "a.mp4"), 9u);
  EXPECT_EQ(make("a.mp4", "--overwrite").code, 0);
  EXPECT_EQ(probed(dir / "a.mp4", "stream=nb_read_packets"), "12");
}

TEST(Segments, DamageIsSeen) {
  Segment s{2, 100, 40, {1, 2, 3}, {{0, -1, true, {9, 8}}, {1, 0, false, {7}}}, {"a b", "c"}};
  auto bytes = bytes_of(s);
  const auto back = segment_of(bytes);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->frames, 2);
  EXPECT_EQ(back->packets[0].decoded, -1);
  EXPECT_EQ(back->packets[1].data, s.packets[1].data);
  EXPECT_EQ(back->sources, s.sources);
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

// 256 colours chosen over the whole film, every frame at its moment.
TEST_F(FilmOnDisk, AGifKeepsItsColoursAndTimes) {
  const Ran r = make("a.gif", "--fps 12 --size 120x80");
  ASSERT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(probed(dir / "a.gif", "stream=nb_read_packets"), "12");
  EXPECT_EQ(probed(dir / "a.gif", "stream=width,height"), "120\n80");
  EXPECT_EQ(probed(dir / "a.gif", "format=duration"), "1.000000");
  const std::string times = probed(dir / "a.gif", "packet=pts_time");
  EXPECT_TRUE(times.starts_with("0.000000\n0.080000\n0.170000\n0.250000")) << times;
  // One palette for all frames, and it is near to the pictures.
  ASSERT_EQ(run("export " + shoot.string() + " --to " + (dir / "f").string() +
                " --name f_## --format png8 --size 120x80")
                .code,
            0);
  const std::string psnr = said("ffmpeg -v info -nostats -i " + (dir / "a.gif").string() +
                                " -framerate 12 -start_number 1 -i " + (dir / "f").string() +
                                "/f_%02d.png -lavfi '[0]settb=1/12,setpts=N[a];[1]settb=1/12,"
                                "setpts=N[b];[a][b]psnr' -f null -");
  const auto at = psnr.find("average:");
  ASSERT_NE(at, std::string::npos) << psnr;
  EXPECT_GT(std::stod(psnr.substr(at + 8)), 30) << psnr;
  // And no channel is brighter or darker than it should be: the mean over the film, of 255.
  auto means = [&](const std::string& input) {
    said("ffmpeg -v error -y " + input + " -f rawvideo -pix_fmt rgb24 " + (dir / "raw").string());
    const auto bytes = *read_file(dir / "raw");
    std::array<double, 3> sum{};
    for (std::size_t i = 0; i < bytes.size(); ++i)
      sum[i % 3] += static_cast<unsigned char>(bytes[i]);
    for (double& v : sum) v /= static_cast<double>(bytes.size()) / 3;
    return sum;
  };
  const auto is = means("-i " + (dir / "a.gif").string() + " -fps_mode passthrough"),
             wanted = means("-start_number 1 -i " + (dir / "f").string() + "/f_%02d.png");
  for (std::size_t c = 0; c < 3; ++c) EXPECT_NEAR(is[c], wanted[c], 0.2) << c;
  // It was said before what it would come to.
  const auto about = r.err.find("about ");
  ASSERT_NE(about, std::string::npos) << r.err;
  const double size = static_cast<double>(fs::file_size(dir / "a.gif")) / 1e6;
  EXPECT_NEAR(std::stod(r.err.substr(about + 6)), size, 0.3 * size + 0.06);
  EXPECT_EQ(run("verify " + (dir / "a.gif").string()).code, 0);
  const auto first = *read_file(dir / "a.gif");
  fs::remove(dir / "a.gif");
  ASSERT_EQ(make("a.gif", "--fps 12 --size 120x80").code, 0);
  EXPECT_EQ(*read_file(dir / "a.gif"), first);
  EXPECT_NE(make("b.gif", "--fps 60").code, 0);
}

// A tone of 440 Hz goes with every container, as it is or encoded, and ends with the film.
TEST_F(FilmOnDisk, SoundGoesWithTheFilm) {
  const std::string wav = (dir / "tone.wav").string();
  ASSERT_EQ(
      std::system(
          ("ffmpeg -v error -y -f lavfi -i sine=frequency=440:duration=9 -ac 2 " + wav).c_str()),
      0);
  for (const char* name : {"a.mp4", "a.mov", "a.webm", "a.mkv"}) {
    const Ran r = make(name, "--fps 6 --size 60x40 --sound " + wav);
    ASSERT_EQ(r.code, 0) << r.err;
    const double seconds = std::stod(probed(dir / name, "format=duration"));
    EXPECT_NEAR(seconds, 2, 0.08) << name;
    // What is heard, decoded to 8 kHz: crossings of zero tell its pitch.
    const std::string raw = (dir / "raw").string();
    ASSERT_EQ(std::system(("ffmpeg -v error -y -i " + (dir / name).string() +
                           " -vn -ac 1 -ar 8000 -f s16le " + raw)
                              .c_str()),
              0);
    const auto bytes = *read_file(raw);
    int crossings = 0;
    std::int16_t last = 0;
    for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) {
      const auto v = static_cast<std::int16_t>(bytes[i] | bytes[i + 1] << 8);
      crossings += last < 0 && v >= 0;
      last = v;
    }
    EXPECT_NEAR(crossings / (static_cast<double>(bytes.size()) / 16000), 440, 8) << name;
    EXPECT_EQ(run("verify " + (dir / name).string()).code, 0) << name;
  }
  EXPECT_EQ(make("b.gif", "--sound " + wav).code, 2);
  const Ran none = make("c.mp4", "--sound " + shoot.string());
  EXPECT_EQ(none.code, 1);
  test::expect_one_line(none, "cannot be read as sound");
  EXPECT_FALSE(fs::exists(dir / "c.mp4.parts"));
}

// A click is heard when it is heard in the file, within two milliseconds, whatever an encoder
// delays.
TEST_F(FilmOnDisk, SoundBeginsWithTheFilm) {
  constexpr double kClick = 0.75;  // s
  const std::string wav = (dir / "click.wav").string();
  ASSERT_EQ(
      std::system(("ffmpeg -v error -y -f lavfi -i \"aevalsrc='if(between(t,0.75,0.752),0.9,0)'"
                   ":s=48000:d=3\" " +
                   wav)
                      .c_str()),
      0);
  for (const char* name : {"a.mp4", "a.mov", "a.webm", "a.mkv"}) {
    const Ran r = make(name, "--fps 6 --size 60x40 --sound " + wav);
    ASSERT_EQ(r.code, 0) << r.err;
    const std::string raw = (dir / "raw").string();
    // As a player does: times of the container, silence where there is none.
    ASSERT_EQ(std::system(("ffmpeg -v error -y -i " + (dir / name).string() +
                           " -vn -af aresample=async=1:first_pts=0 -ac 1 -ar 48000 -f s16le " + raw)
                              .c_str()),
              0);
    const auto bytes = *read_file(raw);
    int loudest = 0;
    std::size_t at = 0;
    for (std::size_t i = 0; i + 1 < bytes.size(); i += 2)
      if (const int v = std::abs(static_cast<std::int16_t>(bytes[i] | bytes[i + 1] << 8));
          v > loudest)
        loudest = v, at = i / 2;
    // WebM tells no times below 0, where what Opus needs beforehand would be: all begins later.
    const double begin = std::stod(probed(dir / name, "stream=start_time"));
    EXPECT_NEAR(static_cast<double>(at) / 48000 - begin, kClick + 0.001, 0.002) << name;
  }
}

// A film of other options is another film: it is not taken for the finished one, and is refused
// where that is in its way.
TEST_F(FilmOnDisk, OfOtherOptionsIsNotFinished) {
  const std::string same = "--size 60x40 --fps 6 --quality 70";
  ASSERT_EQ(make("a.mkv", "--codec h264 " + same).code, 0);
  const Ran again = make("a.mkv", "--codec h264 " + same);
  ASSERT_EQ(again.code, 0);
  EXPECT_NE(again.out.find("0 encoded now"), std::string::npos) << again.out;
  const auto finished = *read_file(dir / "a.mkv");
  const std::string wav = (dir / "tone.wav").string();
  ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i sine=duration=3 " + wav).c_str()), 0);
  for (const std::string other :
       {"--codec h264 --size 60x40 --fps 6 --quality 71",
        "--codec h264 --size 60x40 --fps 6 --bitrate 2M",
        "--codec h264 --size 60x40 --fps 6 --bitrate 3M", "--codec h264 --bits 10",
        "--codec h264 --chroma 422", "--codec h265 ", "--codec h264 --space rec2020 ",
        "--codec h264 --fps 12 --size 60x40 --quality 70",
        "--codec h264 --fps 6 --size 64x40 --quality 70", "--codec h264 --frames 0-8 "}) {
    std::string options = other;
    if (options.find("--size") == options.npos) options += " " + same;
    const Ran r = make("a.mkv", options);
    EXPECT_EQ(r.code, 1) << options << "\n" << r.out;
    EXPECT_TRUE(*read_file(dir / "a.mkv") == finished) << options;
  }
  const Ran with_sound = make("a.mkv", "--codec h264 " + same + " --sound " + wav);
  EXPECT_EQ(with_sound.code, 1) << with_sound.out;
  // One bit rate after another.
  ASSERT_EQ(make("b.mkv", "--codec h264 --size 60x40 --fps 6 --bitrate 200k").code, 0);
  EXPECT_EQ(make("b.mkv", "--codec h264 --size 60x40 --fps 6 --bitrate 2M").code, 1);
}

TEST_F(FilmOnDisk, SeveralFilmsFramesAndAPosterComeFromOnePass) {
  const Ran r =
      make("a.mp4", "--size 120x80 --fps 4 --poster 5 --also-film " + (dir / "small.mp4").string() +
                        ":60x40 --also-film " + (dir / "loop.webm").string() +
                        ":long:60 --also-frames " + (dir / "f").string() + ":f_##:jpeg");
  ASSERT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(probed(dir / "small.mp4", "stream=width,height"), "60\n40");
  EXPECT_EQ(probed(dir / "loop.webm", "stream=codec_name"), "vp9");
  // Each is what it would be alone.
  ASSERT_EQ(make("alone.mp4", "--size 60x40 --fps 4").code, 0);
  EXPECT_EQ(*read_file(dir / "alone.mp4"), *read_file(dir / "small.mp4"));
  // The poster is the sixth frame, as it stands among the frames.
  auto pixels = [&](const std::string& file) {
    return said("ffmpeg -v error -i " + file + " -f framemd5 - | tail -1");
  };
  EXPECT_EQ(pixels((dir / "a.jpg").string()), pixels((dir / "f" / "f_06.jpg").string()));
  EXPECT_EQ(run("verify " + dir.path().string()).code, 0);
  // Nothing is made twice.
  const Ran again = make("a.mp4", "--size 120x80 --fps 4 --poster 5");
  ASSERT_EQ(again.code, 0) << again.err;
  EXPECT_NE(again.out.find("0 encoded now"), std::string::npos) << again.out;
}

TEST_F(FilmOnDisk, VerifySeesEveryKindOfDamage) {
  ASSERT_EQ(make("a.mp4", "--fps 4 --size 60x40").code, 0);
  const std::string film = (dir / "a.mp4").string();
  EXPECT_EQ(run("verify " + film).code, 0);
  const auto whole = *read_file(film);
  auto verdict = [&](const std::vector<std::uint8_t>& bytes) {
    EXPECT_TRUE(write_file(film, bytes, IfExists::replace));
    return run("verify " + film).out;
  };
  auto bad = whole;
  bad[bad.size() / 2] ^= 1;
  EXPECT_EQ(verdict(bad), "changed a.mp4\n0 of 1 files are good\n");
  bad.resize(whole.size() - 9);
  EXPECT_EQ(verdict(bad), "changed a.mp4\n0 of 1 files are good\n");
  EXPECT_EQ(verdict(whole), "1 of 1 files are good\n");
  // A film that is another than the one that was asked for, though nobody changed it since.
  const auto manifest = *read_file(dir / kManifestName);
  std::string said(manifest.begin(), manifest.end());
  said.replace(said.rfind("\"frames\":12"), 11, "\"frames\":13");
  ASSERT_TRUE(write_file(dir / kManifestName, said, IfExists::replace));
  EXPECT_EQ(run("verify " + film).out, "changed a.mp4\n0 of 1 files are good\n");
  ASSERT_TRUE(write_file(dir / kManifestName, manifest, IfExists::replace));
  fs::remove(film);
  EXPECT_EQ(run("verify " + film).out, "missing a.mp4\n0 of 1 files are good\n");
  std::ofstream(dir / "b.mp4") << "another";
  EXPECT_EQ(run("verify " + (dir / "b.mp4").string()).code, 1) << "nobody knows it";
}

TEST_F(FilmOnDisk, AHoleIsFilledFromItsNeighboursWhenThatIsWanted) {
  const fs::path folder = dir / "torn";
  fs::copy(shot_folder(), folder, fs::copy_options::recursive);
  ASSERT_EQ(run("plan --overwrite " + folder.string() + " --out " + shoot.string()).code, 0);
  const auto frames = scan_folder(folder)->frames;
  fs::resize_file(folder / frames[4].file, frames[4].bytes / 3);
  const Ran hole = make("a.mp4", "--fps 4 --size 60x40");
  EXPECT_EQ(hole.code, 1);
  EXPECT_NE(hole.err.find("lacks frame 5"), std::string::npos) << hole.err;
  EXPECT_NE(hole.err.find("--fill-holes"), std::string::npos) << hole.err;
  const Ran filled = make("a.mp4", "--fps 4 --size 60x40 --fill-holes");
  EXPECT_EQ(filled.code, 0) << filled.err;
  EXPECT_EQ(probed(dir / "a.mp4", "stream=nb_read_packets"), "12");
  // Also when frames are made in the same pass: their folder is free for the second one.
  const std::string also = " --also-frames " + (dir / "stills").string() + ":f_##:jpeg";
  const Ran both = make("b.mp4", "--fps 4 --size 60x40 --fill-holes" + also);
  EXPECT_EQ(both.code, 0) << both.err;
  EXPECT_TRUE(fs::exists(dir / "stills/f_12.jpg"));
}

// The same name for fewer frames, then for all of them again: frames of an older film stand
// elsewhere in the file than their numbers say.
TEST_F(FilmOnDisk, AFilmOfOtherFramesIsNotTakenForTheOldOne) {
  ASSERT_EQ(make("whole.mp4", "--fps 1").code, 0);
  ASSERT_EQ(make("a.mp4", "--fps 1").code, 0);
  ASSERT_EQ(make("a.mp4", "--fps 1 --frames 4-11 --overwrite").code, 0);
  const Ran again = make("a.mp4", "--fps 1 --overwrite");
  ASSERT_EQ(again.code, 0) << again.err;
  EXPECT_TRUE(*read_file(dir / "a.mp4") == *read_file(dir / "whole.mp4"));
}

// A finished film whose look was changed at its end: what is unchanged is taken out of it, and the
// new one has the bytes that it would have had from the beginning.
TEST_F(FilmOnDisk, AFinishedFilmIsMadeAnewWhereItChanged) {
  struct Of {
    const char *name, *codec;
  };
  for (const Of& of : {Of{"a.mp4", "h264"},
                       {"a.mkv", "h264"},
                       {"a.mp4", "h265"},
                       {"a.mov", "h265"},
                       {"a.mov", "prores422"},
                       {"a.webm", "vp9"},
                       {"a.webm", "av1"},
                       {"a.mp4", "av1"},
                       {"a.mkv", "ffv1"}}) {
    SCOPED_TRACE(std::string(of.name) + " " + of.codec);
    auto plan = [&](const char* last) {
      return run("plan --overwrite " + shot_folder().string() +
                 " --keys 0,7,8 --easing hold --set contrast=10 " + "--set contrast=" + last +
                 "@8 --out " + shoot.string())
          .code;
    };
    auto film = [&](const std::string& more) {
      return make(of.name, std::string("--fps 1 --size 120x80 --codec ") + of.codec + more);
    };
    ASSERT_EQ(plan("30"), 0);
    ASSERT_EQ(film("").code, 0);
    ASSERT_EQ(plan("-20"), 0);
    EXPECT_EQ(film("").code, 1) << "not unasked";
    const Ran changed = film(" --overwrite");
    ASSERT_EQ(changed.code, 0) << changed.err;
    EXPECT_NE(changed.out.find("12 frames, 4 encoded now"), std::string::npos) << changed.out;
    const auto bytes = *read_file(dir / of.name);
    fs::remove(dir / of.name);
    ASSERT_EQ(film("").code, 0);
    EXPECT_TRUE(*read_file(dir / of.name) == bytes);
    EXPECT_EQ(run("verify " + (dir / of.name).string()).code, 0);
    fs::remove(dir / of.name);
    fs::remove(dir / kManifestName);
  }
}

}  // namespace
}  // namespace tsukimi
