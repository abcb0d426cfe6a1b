// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <exiv2/exiv2.hpp>

#include "base/file.h"
#include "develop/display.h"
#include "folder/sequence.h"
#include "output/encode.h"
#include "proxy/proxy.h"
#include "sim/noise.h"
#include "support.h"

namespace tsukimi {
namespace {
namespace fs = std::filesystem;
using test::SmallShoot;
using test::TempDir;

const SmallShoot& few() {
  static const SmallShoot shoot([] {
    sim::CameraOptions c;
    c.frames = 6;
    c.seed = 77;
    c.steps = c.flicker = c.wobble = c.gap = false;
    return c;
  }());
  return shoot;
}

void copy_frames(const fs::path& to, int count = 6) {
  fs::create_directories(to);
  int n = 0;
  const auto sequence = *scan_folder(few().folder);
  for (const auto& f : sequence.frames)
    if (n++ < count) fs::copy_file(few().folder / f.file, to / f.file);
}

std::string all_notes(const Sequence& s) {
  std::string out;
  for (const auto& n : s.notes) out += n + "\n";
  return out;
}

TEST(NaturalOrder, NumbersCompareAsNumbers) {
  EXPECT_TRUE(natural_less("IMG_9.dng", "IMG_10.dng"));
  EXPECT_TRUE(natural_less("a2b10", "a2b11"));
  EXPECT_TRUE(natural_less("img_0009", "IMG_10"));
  EXPECT_FALSE(natural_less("IMG_10.dng", "IMG_9.dng"));
  EXPECT_TRUE(natural_less("x007", "x7") != natural_less("x7", "x007"));  // one order, not both
  EXPECT_FALSE(natural_less("same", "same"));
}

TEST(Dng, RoundTripThroughLibRaw) {
  TempDir dir;
  sim::CameraOptions o;
  o.frames = 1;
  o.gap = o.wobble = o.flicker = o.steps = false;
  sim::SimulateOptions so{o, {120, 80}, dir / "f", {}};
  ASSERT_TRUE(sim::simulate(so));
  const auto file = dir / "f" / "TSK_0412.dng";
  const auto frame = read_frame(file);
  ASSERT_TRUE(frame) << frame.error().message;
  ASSERT_TRUE(frame->is_mosaic());
  EXPECT_EQ(frame->sensor_size(), (Size{120, 80}));
  EXPECT_EQ(frame->mosaic.cfa, (std::array<std::uint8_t, 4>{0, 1, 1, 2}));
  const auto& want = sim::camera_colour();
  for (int i = 0; i < 9; ++i) {
    EXPECT_NEAR(frame->colour.matrix1.m[i], want.matrix1.m[i], 1e-4);
    EXPECT_NEAR(frame->colour.matrix2.m[i], want.matrix2.m[i], 1e-4);
  }
  EXPECT_EQ(frame->colour.kelvin1, 2856);
  EXPECT_EQ(frame->colour.kelvin2, 6504);
  EXPECT_NEAR(as_shot_temperature(frame->colour).kelvin, 5600, 15);
  float least = 1, most = 0;
  std::vector<float> row(frame->mosaic.width);
  for (int y = 0; y < frame->mosaic.height; ++y) {
    frame->mosaic.light_row(y, row.data());
    least = std::min(least, *std::min_element(row.begin(), row.end()));
    most = std::max(most, *std::max_element(row.begin(), row.end()));
  }
  EXPECT_GE(least, -0.02f);
  EXPECT_LE(most, 1.0f);
}

TEST(Dng, CarriesItsMetadataAndAPreview) {
  const auto s = scan_folder(few().folder);
  ASSERT_TRUE(s);
  const FrameInfo& f = s->frames[0];
  EXPECT_EQ(f.camera, "Tidewater S1");
  EXPECT_NE(f.lens.find("28 mm"), std::string::npos);
  EXPECT_DOUBLE_EQ(f.shutter, 1.0 / 100);
  EXPECT_DOUBLE_EQ(f.aperture, 5.6);
  EXPECT_DOUBLE_EQ(f.iso, 100);
  EXPECT_DOUBLE_EQ(f.focal_length, 28);
  EXPECT_EQ(f.size, (Size{300, 200}));
  EXPECT_NEAR(s->frames[1].time - f.time, 20, 0.03);
  auto image = Exiv2::ImageFactory::open((few().folder / f.file).string());
  image->readMetadata();
  const Exiv2::PreviewManager previews(*image);
  EXPECT_FALSE(previews.getPreviewProperties().empty());
}

TEST(Scan, OtherFilesAreLeftOutAndSaid) {
  TempDir dir;
  copy_frames(dir / "f");
  std::ofstream(dir / "f" / "notes.txt") << "tide table";
  std::ofstream(dir / "f" / "clip.mov") << "x";
  std::ofstream(dir / "f" / ".hidden.dng") << "x";
  const auto s = scan_folder(dir / "f");
  ASSERT_TRUE(s);
  EXPECT_EQ(s->frames.size(), 6u);
  EXPECT_NE(all_notes(*s).find("2 other files"), std::string::npos);
}

TEST(Scan, EmptyAndMissingFoldersSaySo) {
  TempDir dir;
  const auto empty = scan_folder(dir.path());
  ASSERT_FALSE(empty);
  EXPECT_NE(empty.error().message.find(dir.path().string()), std::string::npos);
  EXPECT_FALSE(scan_folder(dir / "not there"));
}

TEST(Scan, OneBadFileIsOneBadFrame) {
  TempDir dir;
  copy_frames(dir / "f");
  const auto names = scan_folder(dir / "f")->frames;
  fs::resize_file(dir / "f" / names[1].file, 0);
  std::ofstream(dir / "f" / names[2].file) << "this is not a raw file";
  const auto s = scan_folder(dir / "f");
  ASSERT_TRUE(s);
  ASSERT_EQ(s->frames.size(), 6u);
  EXPECT_NE(s->frames[1].problem.find("empty"), std::string::npos);
  EXPECT_FALSE(s->frames[2].usable());
  for (int i : {0, 3, 4, 5}) EXPECT_TRUE(s->frames[i].usable()) << s->frames[i].problem;
}

TEST(Scan, AFrameOfAnotherSizeIsNamed) {
  TempDir dir;
  copy_frames(dir / "f", 4);
  sim::CameraOptions o;
  o.frames = 1;
  ASSERT_TRUE(sim::simulate({o, {120, 80}, dir / "other", {}}));
  fs::copy_file(dir / "other" / "TSK_0412.dng", dir / "f" / "TSK_0999.dng");
  const auto s = scan_folder(dir / "f");
  ASSERT_TRUE(s);
  EXPECT_NE(s->frames.back().problem.find("120×80"), std::string::npos);
  EXPECT_EQ(s->size, (Size{300, 200}));
}

TEST(Scan, ARawAndItsJpegAreOneFrame) {
  TempDir dir;
  copy_frames(dir / "f", 3);
  std::ofstream(dir / "f" / "TSK_0412.JPG") << "x";
  const auto s = scan_folder(dir / "f");
  ASSERT_TRUE(s);
  EXPECT_EQ(s->frames.size(), 3u);
  EXPECT_NE(all_notes(*s).find("raw file of the same name"), std::string::npos);
}

TEST(Scan, NamesAgainstTimeAreSaid) {
  TempDir dir;
  copy_frames(dir / "f", 4);
  fs::rename(dir / "f" / "TSK_0412.dng", dir / "f" / "TSK_0500.dng");
  const auto s = scan_folder(dir / "f");
  EXPECT_NE(all_notes(*s).find("disagree"), std::string::npos);
}

TEST(ReadFrame, TruncatedRawIsAnErrorThatNamesTheFile) {
  TempDir dir;
  copy_frames(dir / "f", 1);
  const auto file = dir / "f" / "TSK_0412.dng";
  const auto whole = fs::file_size(file);
  int refused = 0;
  for (const double keep : {0.95, 0.7, 0.4, 0.15, 0.02}) {
    fs::resize_file(file, static_cast<std::uintmax_t>(static_cast<double>(whole) * keep));
    const auto frame = read_frame(file);
    if (frame) continue;
    ++refused;
    EXPECT_NE(frame.error().message.find("TSK_0412.dng"), std::string::npos);
  }
  EXPECT_EQ(refused, 5);
}

TEST(ReadFrame, MutatedHeadersNeverCrash) {
  TempDir dir;
  copy_frames(dir / "f", 1);
  const auto good = read_file(dir / "f" / "TSK_0412.dng");
  ASSERT_TRUE(good);
  int errors = 0;
  for (std::uint32_t k = 0; k < 250; ++k) {
    auto bytes = *good;
    for (std::uint32_t j = 0; j < 4; ++j) {
      const auto at = sim::unit_hash(static_cast<int>(k), static_cast<int>(j), 5);
      // Mostly the directories (at both ends of the file), some pixels.
      const std::size_t i = j == 0 ? static_cast<std::size_t>(at * 900)
                                   : bytes.size() - 1 - static_cast<std::size_t>(at * 3000);
      bytes[i] = static_cast<std::uint8_t>(
          sim::unit_hash(static_cast<int>(k), static_cast<int>(j), 6) * 256);
    }
    const auto file = dir / "m.dng";
    ASSERT_TRUE(write_file(file, bytes, IfExists::replace, false));
    (void)read_frame_info(file);
    const auto frame = read_frame(file);
    errors += !frame;
    if (frame) (void)make_proxy(*frame);
  }
  EXPECT_LT(errors, 250);  // small damage in metadata must not lose every picture
}

TEST(Stills, SixteenBitTiffComesBackLinear) {
  TempDir dir;
  Image image(64, 40);
  for (auto& p : image.planes)
    for (int y = 0; y < 40; ++y)
      for (int x = 0; x < 64; ++x) p.at(x, y) = 0.02f + 0.9f * x / 64;
  ASSERT_TRUE(write_file(
      dir / "a.tif",
      [&](int fd) { return write_tiff(fd, to_srgb16(image), Compression::none, {}); },
      IfExists::keep));
  const auto frame = read_frame(dir / "a.tif");
  ASSERT_TRUE(frame) << frame.error().message;
  for (int x = 0; x < 64; ++x)
    EXPECT_NEAR(frame->rgb.planes[1].at(x, 20), image.planes[1].at(x, 20), 0.002f);
  EXPECT_NEAR(as_shot_temperature(frame->colour).kelvin, 6504, 20);
}

TEST(Stills, JpegIsReadAndOrientationHonoured) {
  TempDir dir;
  Image image(60, 40);
  for (auto& p : image.planes)
    for (int y = 0; y < 40; ++y)
      for (int x = 0; x < 60; ++x) p.at(x, y) = x < 30 ? 0.8f : 0.05f;  // bright at the left
  ASSERT_TRUE(write_file(dir / "a.jpg", *encode_jpeg(to_srgb8(image), 95), IfExists::keep));
  {
    auto meta = Exiv2::ImageFactory::open((dir / "a.jpg").string());
    meta->readMetadata();
    meta->exifData()["Exif.Image.Orientation"] = std::uint16_t{6};  // to be turned clockwise
    meta->writeMetadata();
  }
  const auto frame = read_frame(dir / "a.jpg");
  ASSERT_TRUE(frame) << frame.error().message;
  const Proxy p = make_proxy(*frame);
  EXPECT_EQ(p.full, (Size{40, 60}));
  const Image up = unpack(p);
  EXPECT_GT(up.planes[1].at(20, 5), 0.6f);  // what was left is now above
  EXPECT_LT(up.planes[1].at(20, 55), 0.15f);
  EXPECT_EQ(read_frame_info(dir / "a.jpg").size, (Size{40, 60}));
}

TEST(Orientation, AllEightAreUndone) {
  Image image(3, 2);
  for (int i = 0; i < 6; ++i)
    for (auto& p : image.planes) p.data[i] = static_cast<float>(i);
  // Where the top left pixel of the stored picture goes.
  const int want[9][2] = {{}, {0, 0}, {2, 0}, {2, 1}, {0, 1}, {0, 0}, {1, 0}, {1, 2}, {0, 2}};
  for (int o = 1; o <= 8; ++o) {
    Image copy(3, 2);
    for (int c = 0; c < 3; ++c) copy.planes[c].data = image.planes[c].data;
    const Image out = oriented(std::move(copy), o);
    EXPECT_EQ(out.planes[0].at(want[o][0], want[o][1]), 0) << o;
  }
}

TEST(ProxyFile, RoundTripAndDamage) {
  TempDir dir;
  const auto frame = read_frame(few().folder / "TSK_0412.dng");
  const Proxy p = make_proxy(*frame);
  ASSERT_TRUE(save_proxy(p, dir / "p"));
  const auto back = load_proxy(dir / "p");
  ASSERT_TRUE(back);
  EXPECT_EQ(back->data, p.data);
  EXPECT_EQ(back->colour, p.colour);
  EXPECT_EQ(back->full, p.full);
  EXPECT_EQ(load_proxy_head(dir / "p")->grid.light, p.grid.light);
  fs::resize_file(dir / "p", fs::file_size(dir / "p") - 9);
  EXPECT_FALSE(load_proxy(dir / "p"));
}

TEST(WriteFile, KeepsWhatIsThereUnlessAsked) {
  TempDir dir;
  ASSERT_TRUE(write_file(dir / "a", "first", IfExists::keep));
  const auto second = write_file(dir / "a", "second", IfExists::keep);
  ASSERT_FALSE(second);
  EXPECT_NE(second.error().message.find("not touched"), std::string::npos);
  EXPECT_EQ(read_file(dir / "a")->size(), 5u);
  ASSERT_TRUE(write_file(dir / "a", "second", IfExists::replace));
  EXPECT_EQ(read_file(dir / "a")->size(), 6u);
  const auto nowhere = write_file(dir / "no" / "a", "x", IfExists::keep);
  ASSERT_FALSE(nowhere);
  EXPECT_NE(nowhere.error().message.find("does not exist"), std::string::npos);
  int left = 0;
  for ([[maybe_unused]] const auto& e : fs::directory_iterator(dir.path())) ++left;
  EXPECT_EQ(left, 1);  // no temporary files
}

}  // namespace
}  // namespace tsukimi
