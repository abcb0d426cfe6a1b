// SPDX-License-Identifier: GPL-3.0-or-later
// The kinds of raw file that cameras and converters write, through the whole decoder.
#include <gtest/gtest.h>
#include <libraw/libraw.h>
#include <exiv2/exiv2.hpp>

#include <fstream>
#include <random>

#include "base/file.h"
#include "camera/raw_decoder.h"
#include "core/pictures.h"
#include "develop/develop.h"
#include "document/files/shoot_file.h"
#include "document/framing/output_size.h"
#include "folder/sequence.h"
#include "image/orientation.h"
#include "proxy/proxy.h"
#include "sim/dng_writer.h"
#include "sim/scene.h"
#include "support.h"

namespace tsukimi {
namespace {
namespace fs = std::filesystem;

constexpr Size kSize{240, 160};

// Camera RGB of the harbour, 0..0.8, without noise.
Image camera_picture(Size size) {
  const Image scene = sim::HarbourScene(size, 77).render(0.1, 0);
  const Mat3 m = xyz_to_camera(sim::camera_colour(), 5600) * rec2020_to_xyz() * srgb_to_rec2020();
  Image out(size.width, size.height);
  float most = 0;
  for (std::size_t i = 0; i < out.planes[0].data.size(); ++i)
    for (int r = 0; r < 3; ++r) {
      double v = 0;
      for (int c = 0; c < 3; ++c) v += m(r, c) * scene.planes[c].data[i];
      out.planes[r].data[i] = static_cast<float>(std::max(v, 0.0));
      most = std::max(most, out.planes[r].data[i]);
    }
  for (auto& p : out.planes)
    for (float& v : p.data) v *= 0.8f / most;
  return out;
}

const Image& truth() {
  static const Image image = camera_picture(kSize);
  return image;
}

int channel_at(const sim::DngLayout& layout, int x, int y) {
  if (layout.cfa.empty()) return 1;
  const int side = layout.cfa.size() == 36 ? 6 : 2;
  return layout.cfa[(y % side) * side + x % side];
}

const std::vector<std::uint8_t> kRggb{0, 1, 1, 2},
    kNotBayer{1, 1, 0, 1, 1, 2, 1, 1, 2, 1, 1, 0, 2, 0, 1, 0, 2, 1,
              1, 1, 2, 1, 1, 0, 1, 1, 0, 1, 1, 2, 0, 2, 1, 2, 0, 1};

// The file that a camera with this layout would write of the truth.
std::vector<std::uint8_t> write_dng(const sim::DngLayout& layout, const Image& light_of = truth()) {
  const int w = light_of.width, h = light_of.height;
  sim::Mosaic m{w + layout.left + layout.right, h + layout.top + layout.bottom, {}};
  for (int y = 0; y < m.height; ++y)
    for (int x = 0; x < m.width; ++x)
      for (int c = 0; c < layout.channels; ++c) {
        const int tx = x - layout.left, ty = y - layout.top;
        const bool inside = tx >= 0 && ty >= 0 && tx < w && ty < h;
        // The pattern and the black levels begin where the picture does.
        double black = layout.black[inside ? (ty & 1) * 2 + (tx & 1) : 0];
        if (inside && !layout.black_across.empty()) black += layout.black_across[tx];
        if (inside && !layout.black_down.empty()) black += layout.black_down[ty];
        const int channel = layout.channels == 3 ? c : inside ? channel_at(layout, tx, ty) : 0;
        const double light = inside ? light_of.planes[channel].at(tx, ty) : 0;
        double most = black;  // one scale for all rows and columns
        if (!layout.black_across.empty() || !layout.black_down.empty()) {
          auto largest = [](const std::vector<float>& v) {
            return v.empty() ? 0.0f : *std::max_element(v.begin(), v.end());
          };
          most = layout.black[0] + largest(layout.black_across) + largest(layout.black_down);
        }
        const double linear = std::max(0.0, black + light * (layout.white - most));
        m.data.push_back(static_cast<std::uint16_t>(
            std::lround(layout.linearization.empty() ? linear : std::sqrt(linear * 1024))));
      }
  sim::Shot shot;
  shot.time = 1948732200;
  shot.aperture_thirds = 15;
  auto dng = sim::make_dng(m, shot, {}, {}, layout);
  EXPECT_TRUE(dng);
  return *dng;
}

SensorFrame read(const std::vector<std::uint8_t>& dng) {
  const test::TempDir dir;
  EXPECT_TRUE(write_file(dir / "a.dng", dng, IfExists::keep, false));
  auto frame = read_frame(dir / "a.dng");
  if (!frame) throw std::runtime_error(frame.error().message);
  return std::move(*frame);
}

Image develop(SensorFrame frame, Size size = kSize) {
  PictureRecipe s;
  s.look = neutral_look(5600, 0);
  s.placement.size = size;
  return develop_frame(std::move(frame), s);
}

// As a full-colour sensor would have seen it.
Image full_colour(const Image& camera) {
  SensorFrame frame;
  frame.rgb = camera;
  frame.colour = sim::camera_colour();
  return develop(std::move(frame), camera.size());
}
Image part_of(const Image& image, const std::array<int, 4>& seen) {  // left, top, width, height
  Image out(seen[2], seen[3]);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < out.height; ++y)
      std::copy_n(image.planes[c].row(y + seen[1]) + seen[0], out.width, out.planes[c].row(y));
  return out;
}
const Image& reference() {
  static const Image image = full_colour(truth());
  return image;
}

double likeness(const sim::DngLayout& layout) {
  return test::psnr(develop(read(write_dng(layout))), reference());
}

TEST(RawFiles, EveryBayerPhase) {
  for (const std::vector<std::uint8_t>& cfa : {kRggb, {2, 1, 1, 0}, {1, 0, 2, 1}, {1, 2, 0, 1}}) {
    sim::DngLayout layout;
    layout.cfa = cfa;
    const SensorFrame frame = read(write_dng(layout));
    ASSERT_TRUE(frame.is_mosaic());
    for (int i = 0; i < 4; ++i) EXPECT_EQ(frame.mosaic.cfa[i], cfa[i]);
    EXPECT_GT(test::psnr(develop(frame), reference()), 34.5);
  }
}

TEST(RawFiles, BlackAndWhiteLevelsOfEveryKind) {
  sim::DngLayout layout;
  layout.black = {600, 640, 700, 560};
  layout.white = 15000;
  const SensorFrame frame = read(write_dng(layout));
  for (int y = 0; y < 160; y += 13)
    for (int x = 0; x < 240; x += 7)
      EXPECT_NEAR(frame.mosaic.light(x, y), truth().planes[channel_at(layout, x, y)].at(x, y),
                  1e-4);
  layout.black = {0, 0, 0, 0};
  layout.white = 65535;
  EXPECT_GT(likeness(layout), 34.5);
}

TEST(RawFiles, EveryBitDepth) {
  for (int bits : {8, 10, 12, 14, 16}) {
    sim::DngLayout layout;
    layout.bits = bits;
    layout.black.fill(1 << (bits - 5));
    layout.white = (1 << bits) - 1;
    EXPECT_GT(likeness(layout), bits == 8 ? 33 : 34.5) << bits;
  }
}

// Spoiled numbers of a file without compression are numbers too: only a digest tells.
TEST(RawFiles, NumbersThatAreNotThoseOfTheDigestAreDamage) {
  const test::TempDir dir;
  const auto dng = write_dng({});
  ASSERT_TRUE(write_file(dir / "a.dng", dng, IfExists::keep, false));
  // What another program says of the numbers.
  const SensorFrame frame = *read_frame(dir / "a.dng");
  std::ofstream numbers(dir / "numbers", std::ios::binary);
  for (int y = 0; y < frame.mosaic.height; ++y)
    numbers.write(reinterpret_cast<const char*>(frame.mosaic.row(y)), 2l * frame.mosaic.width);
  numbers.close();
  std::array<char, 33> text{};
  FILE* md5 = popen(("md5sum " + (dir / "numbers").string()).c_str(), "r");
  ASSERT_EQ(std::fread(text.data(), 1, 32, md5), 32u);
  pclose(md5);
  std::string bytes;  // as Exiv2 takes them
  for (std::size_t i = 0; i < 32; i += 2)
    bytes += (i > 0 ? " " : "") + std::to_string(std::stoi(std::string(&text[i], 2), nullptr, 16));
  auto with_digest = [&](const std::string& value) {
    write_file(dir / "a.dng", dng, IfExists::replace, false);
    const auto image = Exiv2::ImageFactory::open((dir / "a.dng").string());
    image->readMetadata();
    const auto digest = Exiv2::Value::create(Exiv2::unsignedByte);
    EXPECT_EQ(digest->read(value), 0);
    image->exifData().add(Exiv2::ExifKey("Exif.Image.RawImageDigest"), digest.get());
    image->writeMetadata();
    return *read_file(dir / "a.dng");
  };
  auto spoiled = with_digest(bytes);
  EXPECT_TRUE(read_frame(dir / "a.dng"));
  // One bit of one number.
  const std::uint16_t middle = frame.mosaic.row(80)[120], after = frame.mosaic.row(80)[121];
  const std::array<std::uint8_t, 4> there{
      static_cast<std::uint8_t>(middle & 255), static_cast<std::uint8_t>(middle >> 8),
      static_cast<std::uint8_t>(after & 255), static_cast<std::uint8_t>(after >> 8)};
  const auto at = std::ranges::search(spoiled, there);
  ASSERT_FALSE(at.empty());
  *at.begin() ^= 1;
  ASSERT_TRUE(write_file(dir / "a.dng", spoiled, IfExists::replace, false));
  const auto read = read_frame(dir / "a.dng");
  ASSERT_FALSE(read);
  EXPECT_EQ(read.error().message,
            "a.dng is damaged or cut short; its picture cannot be read whole.");
}

TEST(RawFiles, EitherOrderOfBytes) {
  sim::DngLayout layout;
  layout.order = std::endian::big;
  for (int bits : {12, 16}) {
    layout.bits = bits;
    layout.black.fill(1 << (bits - 5));
    layout.white = (1 << bits) - 1;
    const SensorFrame frame = read(write_dng(layout));
    for (int y = 0; y < 160; y += 13)
      for (int x = 0; x < 240; x += 7)
        ASSERT_NEAR(frame.mosaic.light(x, y), truth().planes[channel_at(layout, x, y)].at(x, y),
                    0.6 / (layout.white - layout.black[0]));
  }
}

TEST(RawFiles, NumbersThatAreStoredAsSquareRoots) {
  sim::DngLayout layout;
  for (int i = 0; i < 4096; ++i)
    layout.linearization.push_back(static_cast<std::uint16_t>(i * i / 1024));
  for (const auto order : {std::endian::little, std::endian::big}) {
    layout.order = order;
    const SensorFrame frame = read(write_dng(layout));
    for (int y = 0; y < 160; y += 13)
      for (int x = 0; x < 240; x += 7)
        ASSERT_NEAR(frame.mosaic.light(x, y), truth().planes[channel_at(layout, x, y)].at(x, y),
                    4e-4);
  }
}

TEST(RawFiles, MaskedBordersAreLeftOut) {
  sim::DngLayout layout;
  layout.top = 8, layout.left = 12, layout.bottom = 4, layout.right = 6;
  const SensorFrame even = read(write_dng(layout));
  EXPECT_EQ(even.sensor_size(), kSize);
  EXPECT_GT(test::psnr(develop(even), reference()), 34.5);
}

// What a file shows may begin and end anywhere in its colour pattern: no pixel is lost, none moves.
class Shown : public testing::TestWithParam<std::array<int, 8>> {};

TEST_P(Shown, IsWhatTheFileSaysToThePixel) {
  const auto [top, left, bottom, right, x0, y0, width, height] = GetParam();
  const Image more = camera_picture({620, 560});
  for (const auto& cfa : {kRggb, std::vector<std::uint8_t>{}, kNotBayer}) {
    sim::DngLayout layout;
    layout.cfa = cfa;
    if (cfa == kRggb) layout.black = {600, 640, 700, 560};
    layout.top = top, layout.left = left, layout.bottom = bottom, layout.right = right;
    layout.seen = {x0, y0, width, height};
    const SensorFrame frame = read(write_dng(layout, more));
    ASSERT_EQ(frame.sensor_size(), (Size{width, height}));
    for (int y = 0; y < height && cfa != kNotBayer; y += 13)
      for (int x = 0; x < width; x += 7) {
        const int channel = channel_at(layout, x + x0, y + y0);
        const float light =
            frame.is_mosaic() ? frame.mosaic.light(x, y) : frame.rgb.planes[1].at(x, y);
        ASSERT_NEAR(light, more.planes[channel].at(x + x0, y + y0), 1e-4) << x << " " << y;
        if (frame.is_mosaic()) {
          ASSERT_EQ(frame.mosaic.cfa[Mosaic::place(x, y)], channel);
        }
      }
    if (cfa.empty()) continue;
    const Size size{width, height};
    const Image whole = full_colour(part_of(more, {x0, y0, width, height})),
                got = develop(frame, size);
    const double likeness = test::psnr(got, whole);
    EXPECT_GT(likeness, cfa == kRggb ? 34.5 : 26);
    // To the last row and column.
    for (const auto& [w, h, x, y] :
         {std::array{1, height, width - 1, 0}, {width, 1, 0, height - 1}})
      EXPECT_GT(test::psnr(part_of(got, {x, y, w, h}), part_of(whole, {x, y, w, h})), 22);
    // The proxy shows the same.
    const Proxy proxy = make_proxy(frame);
    EXPECT_EQ(proxy.full, size);
  }
}

INSTANTIATE_TEST_SUITE_P(Odd, Shown,
                         testing::Values(std::array{8, 12, 4, 6, 5, 3, 606, 544},
                                         std::array{8, 12, 4, 6, 4, 2, 605, 543},
                                         std::array{3, 5, 1, 2, 0, 0, 620, 560},
                                         std::array{3, 5, 1, 2, 1, 1, 619, 559},
                                         std::array{0, 1, 3, 0, 7, 0, 601, 547},
                                         std::array{1, 0, 0, 3, 0, 5, 600, 551}));

TEST(RawFiles, AShootHasTheSizeOfWhatIsDeveloped) {
  const test::TempDir dir;
  sim::DngLayout layout;
  layout.top = 8, layout.left = 12, layout.bottom = 4, layout.right = 6;
  layout.seen = {4, 2, 230, 150};
  for (int orientation : {1, 6}) {
    layout.orientation = orientation;
    ASSERT_TRUE(write_file(dir / "a_1.dng", write_dng(layout), IfExists::replace, false));
    const auto sequence = scan_folder(dir.path());
    ASSERT_TRUE(sequence);
    EXPECT_EQ(sequence->size, orientation == 1 ? (Size{230, 150}) : (Size{150, 230}));
    EXPECT_EQ(sequence->size, make_proxy(*read_frame(dir / "a_1.dng")).full);
  }
}

// Negative numbers point before the picture.
TEST(RawFiles, AnAreaThatCannotBeIsNotTaken) {
  const test::TempDir dir;
  sim::DngLayout layout;
  layout.top = 8, layout.left = 12;
  ASSERT_TRUE(write_file(dir / "a.dng", write_dng(layout), IfExists::keep, false));
  const auto image = Exiv2::ImageFactory::open((dir / "a.dng").string());
  image->readMetadata();
  for (const char* group : {"Image", "SubImage1"}) {
    const Exiv2::ExifKey key(std::string("Exif.") + group + ".0xc68d");
    const auto at = image->exifData().findKey(key);
    if (at == image->exifData().end()) continue;
    image->exifData().erase(at);
    const auto area = Exiv2::Value::create(Exiv2::signedLong);
    ASSERT_EQ(area->read("-800 -1200 168 252"), 0);
    image->exifData().add(key, area.get());
  }
  image->writeMetadata();
  const auto tags = TiffTags::read(dir / "a.dng");
  ASSERT_TRUE(tags && raw_directory(*tags));
  ASSERT_EQ(tags->numbers(*raw_directory(*tags), kActiveArea, 4).at(0), -800);
  EXPECT_FALSE(dng_area(*tags));
  (void)read_frame(dir / "a.dng");
}

// A film, whose sides are even, leaves a row and a column out and resamples nothing.
TEST(RawFiles, AnOddSizeIsKeptAndAFilmOfItIsAsSharp) {
  const test::TempDir dir;
  sim::DngLayout layout;
  layout.seen = {1, 3, 237, 155};
  ASSERT_TRUE(write_file(dir / "a_1.dng", write_dng(layout), IfExists::keep, false));
  const Shoot shoot = *start_shoot(*scan_folder(dir.path()));
  EXPECT_EQ(output_size(shoot), (Size{237, 155}));
  const Size film = film_size(shoot, {});
  EXPECT_EQ(film, (Size{236, 154}));
  PictureRecipe s;
  s.look = neutral_look(5600, 0);
  s.placement = FramingCourse(shoot).film(0, film);
  const Image cut = develop_frame(*read_frame(dir / "a_1.dng"), s);
  s.placement = FramingCourse(shoot).film(0, output_size(shoot));
  const Image whole = develop_frame(*read_frame(dir / "a_1.dng"), s);
  EXPECT_EQ(whole.size(), (Size{237, 155}));
  EXPECT_GT(test::psnr(cut, part_of(whole, {0, 0, 236, 154})), 100);
}

// The size is asked of the files once, in the background; what happens in the window keeps it.
TEST(RawFiles, TheSizeOfAShootStays) {
  const test::TempDir dir;
  sim::DngLayout layout;
  layout.seen = {4, 2, 230, 150};
  const auto dng = write_dng(layout);
  for (const char* name : {"a_1.dng", "a_2.dng", "a_3.dng"})
    ASSERT_TRUE(write_file(dir / name, dng, IfExists::keep, false));
  Shoot shoot = *start_shoot(*scan_folder(dir.path()));
  EXPECT_EQ(shoot.sequence.size, (Size{230, 150}));
  EXPECT_EQ(shoot.sequence.noted, (Size{240, 160})) << "what EXIF says";
  const test::TempDir elsewhere;
  ASSERT_TRUE(save_shoot(shoot, elsewhere / "s.tsukimi"));
  for (const char* name : {"a_1.dng", "a_2.dng", "a_3.dng"}) fs::remove(dir / name);
  sort_shoot(shoot, FrameOrder::time);
  EXPECT_EQ(shoot.sequence.size, (Size{230, 150}));
  FrameInfo next = shoot.sequence.frames.back();
  next.file = "a_4.dng";
  append_frames(shoot, {next});
  EXPECT_EQ(shoot.sequence.size, (Size{230, 150}));
  EXPECT_TRUE(shoot.sequence.frames.back().usable());
  next.file = "a_5.dng";
  next.size = {120, 80};
  append_frames(shoot, {next});
  EXPECT_NE(shoot.sequence.frames.back().problem.find("120×80"), std::string::npos);
  EXPECT_EQ(output_size(shoot), (Size{230, 150}));
  // Opened again, it is the same.
  for (const char* name : {"a_1.dng", "a_2.dng", "a_3.dng"})
    ASSERT_TRUE(write_file(dir / name, dng, IfExists::keep, false));
  const auto back = open_shoot(elsewhere / "s.tsukimi");
  ASSERT_TRUE(back) << back.error().message;
  EXPECT_EQ(back->sequence.size, (Size{230, 150}));
}

TEST(RawFiles, ACalibratedCamera) {
  const CameraColour plain = sim::camera_colour();
  sim::DngLayout layout;
  layout.calibration = Mat3{{1.06, 0.01, -0.02, 0.015, 0.98, 0.005, 0, -0.01, 0.94}};
  layout.analog_balance = {1.2f, 1, 0.9f};
  const Mat3 own = diagonal({1.2, 1, 0.9}) * layout.calibration;
  // What the maker's type of camera has, so that this very one has the plain matrices.
  layout.colour.matrix1 = inverse(own) * plain.matrix1;
  layout.colour.matrix2 = inverse(own) * plain.matrix2;
  const auto colour = read(write_dng(layout)).colour;
  for (int i = 0; i < 9; ++i) {
    EXPECT_NEAR(colour.matrix1.m[i], plain.matrix1.m[i], 1e-3);
    EXPECT_NEAR(colour.matrix2.m[i], plain.matrix2.m[i], 1e-3);
  }
  EXPECT_NEAR(as_shot_temperature(colour).kelvin, 5600, 30);
}

TEST(RawFiles, ColourThatIsInterpolatedAlready) {
  sim::DngLayout layout;
  layout.channels = 3;
  const SensorFrame frame = read(write_dng(layout));
  EXPECT_FALSE(frame.is_mosaic());
  EXPECT_GT(test::psnr(develop(frame), reference()), 55);
}

TEST(RawFiles, ASensorWithoutColourGivesGrey) {
  sim::DngLayout layout;
  layout.cfa.clear();
  layout.black = {600, 640, 700, 560};
  const SensorFrame frame = read(write_dng(layout));
  const auto as_shot = as_shot_temperature(frame.colour);
  PictureRecipe settings;
  settings.look = neutral_look(as_shot.kelvin, as_shot.tint);
  settings.placement.size = kSize;
  const Image image = develop_frame(frame, settings);
  for (int y = 4; y < 156; y += 11)
    for (int x = 4; x < 236; x += 9) {
      const float g = image.planes[1].at(x, y);
      EXPECT_NEAR(image.planes[0].at(x, y), g, 0.01f * g + 1e-3f);
      EXPECT_NEAR(image.planes[2].at(x, y), g, 0.01f * g + 1e-3f);
      EXPECT_NEAR(g, truth().planes[1].at(x, y), 0.02f * g + 2e-3f);
    }
}

TEST(RawFiles, AMosaicThatIsNotBayer) {
  sim::DngLayout layout;
  layout.cfa = kNotBayer;
  const Image camera = camera_picture({600, 540});
  const SensorFrame frame = read(write_dng(layout, camera));
  EXPECT_FALSE(frame.is_mosaic());
  EXPECT_GT(test::psnr(develop(frame, camera.size()), full_colour(camera)), 26);
  // Smaller than the decoder can interpolate: an error that names the file.
  EXPECT_THROW(read(write_dng(layout)), std::runtime_error);
}

TEST(RawFiles, PackedWithoutLoss) {
  sim::DngLayout layout;
  for (const auto order : {std::endian::little, std::endian::big}) {
    layout.order = order;
    layout.compressed = false;
    const SensorFrame plain = read(write_dng(layout));
    layout.compressed = true;
    const auto dng = write_dng(layout);
    const SensorFrame packed = read(dng);
    ASSERT_TRUE(packed.is_mosaic());
    for (int y = 0; y < 160; ++y)
      for (int x = 0; x < 240; ++x)
        ASSERT_EQ(packed.mosaic.light(x, y), plain.mosaic.light(x, y)) << x << " " << y;
  }
}

// Wherever a file ends, what is missing of its picture is told: packed, plain, with bits in a row,
// with three colours.
TEST(RawFiles, AFileThatWasCutShortIsNeverTakenAsWhole) {
  const test::TempDir dir;
  const Image more = camera_picture({620, 560});
  std::vector<sim::DngLayout> layouts(5);
  layouts[1].compressed = true;
  layouts[2].bits = 12;
  layouts[2].black.fill(128);
  layouts[2].white = 4095;
  layouts[3].channels = 3;
  layouts[4].cfa = kNotBayer;
  for (std::size_t k = 0; k < layouts.size(); ++k) {
    const auto dng = write_dng(layouts[k], more);
    for (double part : {0.02, 0.1, 0.3, 0.6, 0.9, 0.99, 0.9995}) {
      // Metadata stands behind the picture or before it; what of the picture is there counts.
      const auto cut = static_cast<std::size_t>(part * static_cast<double>(dng.size()));
      const std::vector<std::uint8_t> bytes(dng.begin(),
                                            dng.begin() + static_cast<std::ptrdiff_t>(cut));
      ASSERT_TRUE(write_file(dir / "a.dng", bytes, IfExists::replace, false));
      EXPECT_FALSE(read_frame(dir / "a.dng")) << k << " cut to " << part;
    }
  }
}

TEST(RawFiles, AllEightWaysToLie) {
  const Image whole = reference();
  for (int orientation = 1; orientation <= 8; ++orientation) {
    sim::DngLayout layout;
    layout.orientation = orientation;
    const SensorFrame frame = read(write_dng(layout));
    EXPECT_EQ(frame.orientation, orientation);
    Image copy = whole;
    const Image wanted = oriented(std::move(copy), orientation);
    EXPECT_GT(test::psnr(develop(frame, wanted.size()), wanted), 34.5) << orientation;
  }
}

// Rows and columns whose black levels differ by far more than the noise: a dark grey stays grey.
TEST(RawFiles, BlackLevelsByRowAndColumn) {
  Image grey(240, 160);
  const std::array<double, 3> neutral = sim::camera_colour().neutral;
  for (int c = 0; c < 3; ++c)
    std::fill(grey.planes[c].data.begin(), grey.planes[c].data.end(),
              static_cast<float>(0.01 * neutral[c]));
  for (int bits : {16, 12}) {
    sim::DngLayout layout;
    layout.bits = bits;
    layout.black.fill(256);
    layout.white = bits == 16 ? 16383 : 4095;
    layout.top = 4, layout.left = 6, layout.bottom = 2, layout.right = 2;
    for (int x = 0; x < 240; ++x) layout.black_across.push_back(x % 2 ? 0.0f : 30.5f);
    for (int y = 0; y < 160; ++y)
      layout.black_down.push_back(y % 2 ? 0.0f : 30.0f + static_cast<float>(y) * 0.25f);
    const SensorFrame frame = read(write_dng(layout, grey));
    double sum[3] = {}, count[3] = {};
    for (int y = 0; y < 160; ++y)
      for (int x = 0; x < 240; ++x) {
        const int c = channel_at(layout, x, y);
        sum[c] += frame.mosaic.light(x, y), ++count[c];
      }
    for (int c = 0; c < 3; ++c)
      EXPECT_NEAR(sum[c] / count[c] / (0.01 * neutral[c]), 1, bits == 16 ? 0.005 : 0.015)
          << bits << " " << c;
  }
  // The same where nothing is interpolated.
  sim::DngLayout layout;
  layout.cfa.clear();
  for (int y = 0; y < 160; ++y) layout.black_down.push_back(y % 2 ? 60.0f : 0.0f);
  const SensorFrame frame = read(write_dng(layout, grey));
  for (int y = 10; y < 14; ++y)
    EXPECT_NEAR(frame.rgb.planes[1].at(50, y) / (0.01 * neutral[1]), 1, 0.02) << y;
}

// Dark and noisy in a mosaic that is not Bayer: what lies below black must not be cut off before
// colours are interpolated, or the dark turns magenta.
TEST(RawFiles, DarkGreyInAMosaicThatIsNotBayerStaysGrey) {
  const auto neutral = sim::camera_colour().neutral;
  Image grey(600, 540);
  std::mt19937 random(5);
  std::normal_distribution<float> noise(0, 0.004f);
  for (int c = 0; c < 3; ++c)
    for (float& v : grey.planes[c].data) v = static_cast<float>(0.002 * neutral[c]) + noise(random);
  sim::DngLayout layout;
  layout.cfa = kNotBayer;
  const SensorFrame frame = read(write_dng(layout, grey));
  for (int c = 0; c < 3; ++c) {
    double sum = 0;
    for (float v : frame.rgb.planes[c].data) sum += v;
    EXPECT_NEAR(sum / static_cast<double>(frame.rgb.planes[c].data.size()), 0.002 * neutral[c],
                0.0002)
        << c;
  }
}

// The live picture shows what the export has, to the last row, also where blocks do not fit.
TEST(RawFiles, AProxyShowsTheWholeFrame) {
  for (const Size size : {Size{3846, 2570}, Size{3850, 2566}})
    for (int orientation : {1, 3, 6}) {
      Image ramp(size.width, size.height);
      for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
          ramp.planes[0].at(x, y) = 0.1f + 0.5f * static_cast<float>(x) / size.width;
          ramp.planes[1].at(x, y) = 0.1f + 0.5f * static_cast<float>(y) / size.height;
          ramp.planes[2].at(x, y) = 0.2f;
        }
      SensorFrame frame;
      frame.rgb = ramp;
      frame.colour = sim::camera_colour();
      frame.orientation = orientation;
      PictureRecipe s;
      s.look = neutral_look(5600, 0);
      s.placement.size = orientation == 6 ? Size{200, 300} : Size{300, 200};
      const Image live = develop_proxy(make_proxy(frame), s);
      const Image full = develop_frame(frame, s);
      for (int c = 0; c < 2; ++c)
        for (const auto& [x, y] :
             {std::pair{2, 2}, {s.placement.size.width - 3, s.placement.size.height - 3}})
          // Half a pixel of the sensor is 1.3e-4 of the way.
          EXPECT_NEAR(live.planes[c].at(x, y), full.planes[c].at(x, y), 2e-4)
              << size.width << " " << orientation << " " << x;
    }
}

// Bytes go wrong on cards. Whatever comes of it, it is an error or a picture.
TEST(RawFiles, DamageIsAnErrorOrAPictureNeverACrash) {
  std::vector<sim::DngLayout> layouts(5);
  layouts[1].bits = 12;
  layouts[1].black.fill(128);
  layouts[1].white = 4095;
  layouts[2].channels = 3;
  layouts[3].cfa.clear();
  layouts[4].top = 4, layouts[4].left = 6;
  layouts[4].black = {500, 510, 520, 530};
  const test::TempDir dir;
  std::mt19937 random(20);
  int errors = 0, pictures = 0;
  for (const auto& layout : layouts) {
    const auto good = write_dng(layout);
    for (int k = 0; k < 60; ++k) {
      auto bad = good;
      const int changes = 1 + static_cast<int>(random() % 4);
      for (int i = 0; i < changes; ++i) {
        // Mostly where the directories are, at the end of the file.
        const std::size_t from =
            random() % 4 ? bad.size() - std::min<std::size_t>(bad.size(), 900) : 0;
        bad[from + random() % (bad.size() - from)] = static_cast<std::uint8_t>(random());
      }
      if (k % 10 == 0) bad.resize(random() % bad.size());
      const auto path = dir / "bad.dng";
      ASSERT_TRUE(write_file(path, bad, IfExists::replace, false));
      const auto frame = read_frame(path);
      if (!frame) {
        ++errors;
        EXPECT_NE(frame.error().message.find("bad.dng"), std::string::npos);
        continue;
      }
      ++pictures;
      const Size size = frame->sensor_size();
      if (static_cast<double>(size.width) * size.height > 4e6) continue;  // a size gone wild
      (void)make_proxy(*frame);
      const Image image = develop(*frame, {48, 32});
      for (const auto& plane : image.planes)
        for (float v : plane.data) ASSERT_TRUE(std::isfinite(v)) << k;
    }
  }
  EXPECT_GE(errors, 20);
  EXPECT_GT(pictures, 100);
}

// Matrices of damaged files: of nothing, of one colour only, of numbers out of this world. A
// picture may come of it in odd colours, but of numbers that are some.
TEST(RawFiles, MatricesThatCannotBe) {
  const Mat3 none{{0, 0, 0, 0, 0, 0, 0, 0, 0}}, one{{1, 1, 1, 1, 1, 1, 1, 1, 1}},
      nearly{{1, 0, 0, 0, 1, 0, 1, 1, 1e-7}}, huge{{1e6, 0, 0, 0, 1e-6, 0, 0, 0, 1}};
  std::vector<sim::DngLayout> layouts(4 * 2);
  for (std::size_t i = 0; i < layouts.size(); ++i) {
    const Mat3 bad = std::array{none, one, nearly, huge}[i / 2];
    if (i % 2)
      layouts[i].calibration = bad;
    else
      layouts[i].colour.matrix1 = layouts[i].colour.matrix2 = bad;
  }
  layouts.emplace_back().analog_balance = {1e-9f, 1, 1};
  for (const auto& layout : layouts) {
    const SensorFrame frame = read(write_dng(layout));
    const auto as_shot = as_shot_temperature(frame.colour);
    EXPECT_TRUE(as_shot.kelvin >= 2000 && as_shot.kelvin <= 25000);
    EXPECT_TRUE(std::isfinite(as_shot.tint));
    const Image image = develop(frame, {48, 32});
    float most = 0;
    for (const auto& plane : image.planes)
      for (float v : plane.data) {
        ASSERT_TRUE(std::isfinite(v));
        most = std::max(most, v);
      }
    EXPECT_GT(most, 0.1f) << "a picture, not a black frame";
    EXPECT_LT(most, 100.0f);
  }
}

// A crop that does not lie in the sensor is not followed.
TEST(RawFiles, MarginsThatCannotBe) {
  for (const std::array<int, 4>& seen : {std::array{0, 0, 241, 160},
                                         {200, 0, 100, 100},
                                         {0, 159, 240, 2},
                                         {-4, 0, 100, 100},
                                         {65536, 0, 65536, 8}}) {
    sim::DngLayout layout;
    layout.seen = seen;
    const test::TempDir dir;
    ASSERT_TRUE(write_file(dir / "a.dng", write_dng(layout), IfExists::keep, false));
    const auto frame = read_frame(dir / "a.dng");
    const auto size = raw_size(dir / "a.dng");
    if (!frame) {
      EXPECT_NE(frame.error().message.find("a.dng"), std::string::npos);
      continue;
    }
    ASSERT_TRUE(size);
    EXPECT_EQ(*size, frame->sensor_size());
    EXPECT_LE(size->width, kSize.width);
    EXPECT_LE(size->height, kSize.height);
    const Image image = develop(*frame, {24, 16});
    for (float v : image.planes[1].data) ASSERT_TRUE(std::isfinite(v));
  }
}

// Reading all rows at once gives what the library's own way gives, number for number.
TEST(RawFiles, TheNumbersAreThoseOfTheLibrary) {
  sim::DngLayout plain, turned, bent;
  turned.order = std::endian::big;
  for (int i = 0; i < 4096; ++i)
    bent.linearization.push_back(static_cast<std::uint16_t>(i * i / 1024));
  plain.top = 6, plain.left = 4;
  const test::TempDir dir;
  for (const auto& layout : {plain, turned, bent}) {
    ASSERT_TRUE(write_file(dir / "a.dng", write_dng(layout), IfExists::replace, false));
    const auto own = read_frame(dir / "a.dng");
    ASSERT_TRUE(own);
    LibRaw library;
    ASSERT_EQ(library.open_file((dir / "a.dng").c_str()), LIBRAW_SUCCESS);
    ASSERT_EQ(library.unpack(), LIBRAW_SUCCESS);
    const auto& s = library.imgdata.sizes;
    ASSERT_EQ(own->sensor_size(), (Size{s.width, s.height}));
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x)
        ASSERT_EQ(
            own->mosaic.row(y)[x],
            library.imgdata.rawdata.raw_image[(y + s.top_margin) * s.raw_width + s.left_margin + x])
            << x << " " << y;
  }
}

// Numbers of 10, 12 and 14 bits, of rows that end within a byte and within a group of four.
TEST(RawFiles, PackedBitsAreLibRawsNumbers) {
  const test::TempDir dir;
  std::mt19937 random(8);
  for (int bits : {10, 12, 14})
    for (int width : {240, 242, 246})
      for (bool bent : {false, true}) {
        sim::DngLayout layout;
        layout.bits = bits;
        layout.black.fill(0);
        layout.white = (1 << bits) - 1;
        if (bent)
          for (int i = 0; i < 1 << bits; ++i)
            layout.linearization.push_back(static_cast<std::uint16_t>(i * 3 + 5));
        sim::Mosaic m{width, 60, {}};
        for (int i = 0; i < width * 60; ++i)
          m.data.push_back(static_cast<std::uint16_t>(random() % (1u << bits)));
        sim::Shot shot;
        shot.time = 1948732200;
        const auto dng = sim::make_dng(m, shot, {}, {}, layout);
        ASSERT_TRUE(dng);
        ASSERT_TRUE(write_file(dir / "a.dng", *dng, IfExists::replace, false));
        RawDecoder own;
        ASSERT_EQ(own.open(dir / "a.dng"), LIBRAW_SUCCESS);
        ASSERT_TRUE(own.decode());
        LibRaw library;
        ASSERT_EQ(library.open_file((dir / "a.dng").c_str()), LIBRAW_SUCCESS);
        ASSERT_EQ(library.unpack(), LIBRAW_SUCCESS);
        const auto count = static_cast<std::size_t>(library.imgdata.sizes.raw_width) *
                           library.imgdata.sizes.raw_height;
        ASSERT_TRUE(std::equal(library.imgdata.rawdata.raw_image,
                               library.imgdata.rawdata.raw_image + count,
                               own.imgdata.rawdata.raw_image))
            << bits << " " << width << " " << bent;
      }
}

TEST(RawFiles, OrientationTurnsFrameAndProxy) {
  sim::DngLayout layout;
  layout.orientation = 6;
  const SensorFrame frame = read(write_dng(layout));
  EXPECT_EQ(frame.orientation, 6);
  const Proxy proxy = make_proxy(frame);
  EXPECT_EQ(proxy.full, (Size{160, 240}));
  const Image upright = develop(frame, {160, 240});
  EXPECT_GT(test::psnr(upright, oriented(reference(), 6)), 34.5);
}

TEST(RawFiles, WhiteBalanceComesFromTheFile) {
  for (bool second : {true, false}) {
    sim::DngLayout layout;
    layout.second_matrix = second;
    const SensorFrame frame = read(write_dng(layout));
    const auto as_shot = as_shot_temperature(frame.colour);
    // The camera's fixed setting; with one matrix the same neutral means a little other light.
    EXPECT_NEAR(as_shot.kelvin, 5600, second ? 30 : 400);
  }
}

}  // namespace
}  // namespace tsukimi
