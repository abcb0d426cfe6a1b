// SPDX-License-Identifier: GPL-3.0-or-later
// Stills of several kinds come in linear, and what we write is the same every time.
#include <gtest/gtest.h>
#include <lcms2.h>
#include <png.h>
#include <tiffio.h>

#include <exiv2/exiv2.hpp>
#include "base/file.h"
#include "camera/sensor_frame.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "output/encode.h"
#include "output/memory_tiff.h"
#include "proxy/proxy.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::TempDir;

TEST(Stills, PngOfEightAndSixteenBit) {
  TempDir dir;
  for (const bool deep : {false, true}) {
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = 32;
    image.height = 20;
    image.format = deep ? PNG_FORMAT_LINEAR_RGB : PNG_FORMAT_RGB;
    std::vector<std::uint16_t> linear(32 * 20 * 3, 13107);  // 0.2
    std::vector<std::uint8_t> encoded(32 * 20 * 3, 124);    // sRGB of 0.2016
    const auto file = dir / (deep ? "d.png" : "e.png");
    ASSERT_TRUE(png_image_write_to_file(&image, file.c_str(), 0,
                                        deep ? static_cast<void*>(linear.data()) : encoded.data(),
                                        0, nullptr));
    const auto frame = read_frame(file);
    ASSERT_TRUE(frame) << frame.error().message;
    EXPECT_FALSE(frame->is_mosaic());
    for (const auto& p : frame->rgb.planes)
      EXPECT_NEAR(p.at(16, 10), deep ? 0.2f : 0.2016f, 0.003f);
    std::filesystem::resize_file(file, std::filesystem::file_size(file) / 2);
    EXPECT_FALSE(read_frame(file));
  }
}

std::vector<std::uint8_t> tiff_of(std::uint16_t samples, std::uint16_t value,
                                  const std::vector<std::uint8_t>& icc) {
  MemoryTiff memory;
  TIFF* tif = memory.get();
  TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, 16);
  TIFFSetField(tif, TIFFTAG_IMAGELENGTH, 12);
  TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 16);
  TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, samples);
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, samples == 1 ? PHOTOMETRIC_MINISBLACK : PHOTOMETRIC_RGB);
  TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
  if (!icc.empty())
    TIFFSetField(tif, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(icc.size()), icc.data());
  std::vector<std::uint16_t> line(16 * samples, value);
  for (std::uint32_t y = 0; y < 12; ++y) TIFFWriteScanline(tif, line.data(), y);
  return memory.finish();
}

std::vector<std::uint8_t> saved(cmsHPROFILE profile) {
  cmsUInt32Number size = 0;
  cmsSaveProfileToMem(profile, nullptr, &size);
  std::vector<std::uint8_t> out(size);
  cmsSaveProfileToMem(profile, out.data(), &size);
  cmsCloseProfile(profile);
  return out;
}

// Whatever the curves and the primaries of a profile, colours are those that the library computes
// without any short cut.
TEST(Stills, ProfilesAreAppliedAsTheLibraryDoes) {
  TempDir dir;
  const cmsCIExyY d65{0.3127, 0.3290, 1}, d50{0.3457, 0.3585, 1};
  const cmsCIExyYTRIPLE wide{{.64, .33, 1}, {.21, .71, 1}, {.15, .06, 1}},
      romm{{.7347, .2653, 1}, {.1596, .8404, 1}, {.0366, .0001, 1}};
  cmsToneCurve* g22 = cmsBuildGamma(nullptr, 2.19921875);
  cmsToneCurve* g18 = cmsBuildGamma(nullptr, 1.8);
  cmsToneCurve *three22[3] = {g22, g22, g22}, *mixed[3] = {g22, g18, g22};
  const std::vector<std::vector<std::uint8_t>> profiles{
      {},
      saved(cmsCreateRGBProfile(&d65, &wide, three22)),
      saved(cmsCreateRGBProfile(&d50, &romm, mixed))};
  cmsFreeToneCurve(g22);
  cmsFreeToneCurve(g18);
  const cmsCIExyYTRIPLE rec2020{{.708, .292, 1}, {.170, .797, 1}, {.131, .046, 1}};
  const cmsCIExyY white{0.31271, 0.32902, 1};
  cmsToneCurve* linear = cmsBuildGamma(nullptr, 1.0);
  cmsToneCurve* linears[3] = {linear, linear, linear};
  cmsHPROFILE working = cmsCreateRGBProfile(&white, &rec2020, linears);
  cmsFreeToneCurve(linear);
  for (const auto& icc : profiles)
    for (const bool deep : {false, true}) {
      constexpr int kW = 17, kH = 17;
      MemoryTiff memory;
      TIFF* tif = memory.get();
      TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, kW);
      TIFFSetField(tif, TIFFTAG_IMAGELENGTH, kH);
      TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, deep ? 16 : 8);
      TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, 3);
      TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
      TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
      if (!icc.empty())
        TIFFSetField(tif, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(icc.size()), icc.data());
      std::vector<std::uint16_t> all;
      for (int y = 0; y < kH; ++y) {
        std::vector<std::uint16_t> wide_line;
        std::vector<std::uint8_t> line;
        for (int x = 0; x < kW; ++x)
          for (int v : {x * 15, y * 15, (x * 7 + y * 11) % 256}) {
            wide_line.push_back(static_cast<std::uint16_t>(deep ? v * 257 - v % 100 : v * 257));
            line.push_back(static_cast<std::uint8_t>(v));
          }
        all.insert(all.end(), wide_line.begin(), wide_line.end());
        TIFFWriteScanline(tif, deep ? static_cast<void*>(wide_line.data()) : line.data(),
                          static_cast<std::uint32_t>(y));
      }
      ASSERT_TRUE(write_file(dir / "p.tif", memory.finish(), IfExists::replace, false));
      const auto frame = read_frame(dir / "p.tif");
      ASSERT_TRUE(frame) << frame.error().message;
      cmsHPROFILE source =
          icc.empty() ? cmsCreate_sRGBProfile()
                      : cmsOpenProfileFromMem(icc.data(), static_cast<unsigned>(icc.size()));
      cmsHTRANSFORM how =
          cmsCreateTransform(source, TYPE_RGB_16, working, TYPE_RGB_FLT,
                             INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOCACHE | cmsFLAGS_NOOPTIMIZE);
      std::vector<float> wanted(all.size());
      cmsDoTransform(how, all.data(), wanted.data(), kW * kH);
      cmsDeleteTransform(how);
      cmsCloseProfile(source);
      for (int i = 0; i < kW * kH; ++i)
        for (int c = 0; c < 3; ++c)
          EXPECT_NEAR(frame->rgb.planes[c].data[i], wanted[3 * i + c], 2e-4)
              << i << " " << c << " " << deep << " " << icc.size();
    }
  cmsCloseProfile(working);
}

// A large still is halved on its way to the proxy: the same picture, place and light.
TEST(Stills, TheProxyOfALargeOneIsTheSame) {
  TempDir dir;
  for (const Size size : {Size{3601, 2403}, Size{3600, 2400}}) {
    Encoded8 picture(size.width, size.height);
    for (int y = 0; y < size.height; ++y)
      for (int x = 0; x < size.width; ++x) {
        auto* p = picture.row(y) + 3 * x;
        p[0] = static_cast<std::uint8_t>(20 + 200 * x / size.width);
        p[1] = static_cast<std::uint8_t>(20 + 200 * y / size.height);
        p[2] = static_cast<std::uint8_t>((x / 300 + y / 300) % 2 ? 180 : 60);
      }
    ASSERT_TRUE(write_file(dir / "l.jpg", *encode_jpeg(picture, 95), IfExists::replace, false));
    const auto whole = read_frame(dir / "l.jpg"), half = read_for_proxy(dir / "l.jpg");
    ASSERT_TRUE(whole && half);
    EXPECT_EQ(half->halved, size);
    const Proxy a = make_proxy(*whole), b = make_proxy(*half);
    EXPECT_EQ(a.full, b.full);
    // Each shows the whole frame: compared at one size, by places of the frame.
    PictureRecipe s;
    s.look = neutral_look(6504, 0);
    s.placement.size = {300, 200};
    const Image one = develop_proxy(a, s), other = develop_proxy(b, s);
    for (int c = 0; c < 3; ++c)
      for (int y = 3; y < 197; y += 5)
        for (int x = 3; x < 297; x += 5)
          EXPECT_NEAR(one.planes[c].at(x, y), other.planes[c].at(x, y), 0.015) << x << " " << y;
    for (int c = 0; c < LightGrid::kCells; c += 7)
      EXPECT_NEAR(a.grid.light[c], b.grid.light[c], 0.012) << c;
  }
}

std::vector<std::uint8_t> linear_srgb_profile() {
  const cmsCIExyY white{0.3127, 0.3290, 1};
  const cmsCIExyYTRIPLE primaries{{.64, .33, 1}, {.30, .60, 1}, {.15, .06, 1}};
  cmsToneCurve* straight = cmsBuildGamma(nullptr, 1.0);
  cmsToneCurve* curves[3] = {straight, straight, straight};
  cmsHPROFILE profile = cmsCreateRGBProfile(&white, &primaries, curves);
  cmsUInt32Number size = 0;
  cmsSaveProfileToMem(profile, nullptr, &size);
  std::vector<std::uint8_t> out(size);
  cmsSaveProfileToMem(profile, out.data(), &size);
  cmsCloseProfile(profile);
  cmsFreeToneCurve(straight);
  return out;
}

TEST(Stills, AProfileIsHonouredAndGreyBecomesRgb) {
  TempDir dir;
  ASSERT_TRUE(
      write_file(dir / "linear.tif", tiff_of(3, 32768, linear_srgb_profile()), IfExists::keep));
  ASSERT_TRUE(write_file(dir / "grey.tif", tiff_of(1, 32768, {}), IfExists::keep));
  EXPECT_NEAR(read_frame(dir / "linear.tif")->rgb.planes[1].at(8, 6), 0.5f, 0.003f);
  const auto grey = read_frame(dir / "grey.tif");  // sRGB by default: 0.5 encoded is 0.214
  ASSERT_TRUE(grey);
  for (const auto& p : grey->rgb.planes) EXPECT_NEAR(p.at(8, 6), 0.2140f, 0.003f);
}

TEST(Stills, WrongExtensionsAndEmptyFilesAreErrorsThatNameTheFile) {
  TempDir dir;
  std::ofstream(dir / "fake.jpg") << "not a picture";
  std::ofstream(dir / "none.png");
  for (const char* name : {"fake.jpg", "none.png", "gone.tif"}) {
    const auto r = read_frame(dir / name);
    ASSERT_FALSE(r);
    EXPECT_NE(r.error().message.find(name), std::string::npos);
  }
}

TEST(Encode, TheSameBytesEveryTime) {
  Image image(40, 30);
  for (auto& p : image.planes)
    for (std::size_t i = 0; i < p.data.size(); ++i) p.data[i] = static_cast<float>(i) / 1200;
  FrameInfo info;
  info.time = 1948732200.25;
  info.shutter = 1.0 / 13;
  const PictureFacts facts{info, "Made up", "", ColourSpace::srgb};
  EXPECT_EQ(*encode_jpeg(to_srgb8(image), 90, Chroma::full, &facts),
            *encode_jpeg(to_srgb8(image), 90, Chroma::full, &facts));
  TempDir dir;
  for (const char* name : {"a.tif", "b.tif"})
    ASSERT_TRUE(write_file(
        dir / name,
        [&](int fd) { return write_tiff(fd, to_srgb16(image), Compression::none, facts); },
        IfExists::keep));
  EXPECT_EQ(*read_file(dir / "a.tif"), *read_file(dir / "b.tif"));
  auto meta = Exiv2::ImageFactory::open((dir / "a.tif").string());
  meta->readMetadata();
  EXPECT_EQ(meta->exifData()["Exif.Photo.ExposureTime"].toString(), "1/13");
  EXPECT_EQ(meta->exifData()["Exif.Image.ImageDescription"].toString(), "Made up");
  EXPECT_EQ(meta->exifData()["Exif.Photo.SubSecTimeOriginal"].toString(), "25");
}

}  // namespace
}  // namespace tsukimi
