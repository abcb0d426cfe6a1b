// SPDX-License-Identifier: GPL-3.0-or-later
// Every kind of exported file, decoded again by a library that did not write it, and brought back
// to linear light through the profile that it carries.
#include <gtest/gtest.h>
#include <lcms2.h>
#include <libraw.h>

#include <cstring>

#include "base/file.h"
#include "camera/sensor_frame.h"
#include "cli_runner.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "output/encode.h"
#include "output/profile.h"
#include "support.h"

namespace tsukimi {
namespace {

constexpr int kWidth = 96, kHeight = 64;

// Grey from black to white, colours that sRGB has, and light that is brighter than white.
Image chart() {
  Image image(kWidth, kHeight);
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x) {
      const float t = static_cast<float>(x) / (kWidth - 1), u = static_cast<float>(y) / kHeight;
      const float grey = t * t;
      image.planes[0].at(x, y) = y < 8 ? grey : 0.25f + 0.25f * t;
      image.planes[1].at(x, y) = y < 8 ? grey : 0.3f + 0.15f * u;
      image.planes[2].at(x, y) = y < 8 ? grey : 0.45f - 0.2f * t;
      if (y >= 60)
        for (auto& p : image.planes) p.at(x, y) = 2.5f;
    }
  return image;
}

// The pixels as FFmpeg decodes them.
template <typename T>
std::vector<T> decoded(const fs::path& file, const char* pixels) {
  const std::string command =
      "ffmpeg -v error -i '" + file.string() + "' -f rawvideo -pix_fmt " + pixels + " - 2>&1";
  FILE* pipe = ::popen(command.c_str(), "r");
  std::vector<T> out(static_cast<std::size_t>(kWidth) * kHeight * 3);
  const std::size_t n = std::fread(out.data(), sizeof(T), out.size(), pipe);
  ::pclose(pipe);
  EXPECT_EQ(n, out.size()) << command;
  return out;
}

std::vector<float> decoded(const fs::path& file, FileFormat format) {
  std::vector<float> out;
  if (info(format).bits == 8)
    for (auto v : decoded<std::uint8_t>(file, "rgb24")) out.push_back(v / 255.0f);
  else
    for (auto v : decoded<std::uint16_t>(file, "rgb48le")) out.push_back(v / 65535.0f);
  return out;
}

std::vector<std::uint8_t> profile_in(const fs::path& file) {
  auto image = Exiv2::ImageFactory::open(file.string());
  image->readMetadata();
  const auto* p = image->iccProfile();
  return p ? std::vector<std::uint8_t>(p->pData_, p->pData_ + p->size_)
           : std::vector<std::uint8_t>();
}

// To linear Rec. 2020, by lcms2.
std::vector<float> to_linear(const std::vector<float>& pixels,
                             const std::vector<std::uint8_t>& profile) {
  cmsHPROFILE from =
      cmsOpenProfileFromMem(profile.data(), static_cast<cmsUInt32Number>(profile.size()));
  const cmsCIExyY white{0.31271, 0.32902, 1};
  const cmsCIExyYTRIPLE primaries{{.708, .292, 1}, {.170, .797, 1}, {.131, .046, 1}};
  cmsToneCurve* line = cmsBuildGamma(nullptr, 1);
  cmsToneCurve* curves[] = {line, line, line};
  cmsHPROFILE to = cmsCreateRGBProfile(&white, &primaries, curves);
  cmsHTRANSFORM way = cmsCreateTransform(from, TYPE_RGB_FLT, to, TYPE_RGB_FLT,
                                         INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
  std::vector<float> out(pixels.size());
  cmsDoTransform(way, pixels.data(), out.data(), static_cast<cmsUInt32Number>(pixels.size() / 3));
  cmsDeleteTransform(way);
  cmsFreeToneCurve(line);
  cmsCloseProfile(from);
  cmsCloseProfile(to);
  return out;
}

PictureFacts facts(ColourSpace space) {
  FrameInfo frame;
  frame.file = "made_up.dng";
  frame.maker = "Tidewater";
  frame.time = 1948732200.25;
  frame.shutter = 1.0 / 13;
  frame.aperture = 5.6;
  frame.iso = 200;
  frame.zone = "-03:30";
  frame.artist = "Jon Ferrier";
  frame.location = Location{-54.5123, 7.25, 12.5, "GPS"};
  return {frame, "", "© Ida Moor", space};
}

int write(int fd, const Result<Bytes>& bytes) { return bytes ? write_all(fd, *bytes) : EINVAL; }

void write_chart(const fs::path& file, FileFormat format, ColourSpace space,
                 Compression compression = Compression::none, Chroma chroma = Chroma::full) {
  const Image image = chart();
  const PictureFacts f = facts(space);
  const auto ok = write_file(
      file,
      [&](int fd) {
        switch (format) {
          case FileFormat::jpeg:
            return write(fd, encode_jpeg(encode8(image, space), 98, chroma, &f));
          case FileFormat::tiff8:
            return write_tiff(fd, encode8(image, space), compression, f);
          case FileFormat::tiff16:
            return write_tiff(fd, encode16(image, space), compression, f);
          case FileFormat::png8:
            return write(fd, encode_png(encode8(image, space), f));
          case FileFormat::png16:
            return write(fd, encode_png(encode16(image, space), f));
          case FileFormat::exr:
            return write(fd, encode_exr(to_half(image, space), f));
          case FileFormat::dng:
            return write_dng(fd, to_linear16(image, f), f);
        }
        return EINVAL;
      },
      IfExists::keep);
  ASSERT_TRUE(ok) << ok.error().message;
}

// The largest step between the chart and what was read, in encoded values; rows that every space
// can show.
double worst(const std::vector<float>& linear) {
  const Image image = chart();
  double most = 0;
  // As steep near black as the curves are.
  const auto encoded = [](double v) { return std::sqrt(std::max(v, 0.0) + 0.01); };
  for (int y = 0; y < 60; ++y)
    for (int x = 0; x < kWidth; ++x)
      for (std::size_t c = 0; c < 3; ++c) {
        const std::size_t i = 3 * static_cast<std::size_t>(y * kWidth + x) + c;
        most = std::max(most, std::fabs(encoded(linear[i]) - encoded(image.planes[c].at(x, y))));
      }
  return most;
}

std::string format_exif(double time) {
  std::string text = format_time(time).substr(0, 19);
  text[4] = text[7] = ':';
  return text;
}

struct Kind {
  FileFormat format;
  Compression compression = Compression::none;
};

void PrintTo(const Kind& k, std::ostream* out) {
  *out << info(k.format).name << " " << kCompressions[k.compression].name;
}

// All that hold a picture encoded for display; light in OpenEXR and DNG has tests of its own.
std::vector<Kind> encoded_kinds() {
  std::vector<Kind> out;
  for (const FormatInfo& format : file_formats()) {
    if (format.id == FileFormat::exr || format.id == FileFormat::dng) continue;
    for (const auto& row : kCompressions)
      if (format.compressions || row.id == Compression::none) out.push_back({format.id, row.id});
  }
  return out;
}

std::vector<ColourSpace> spaces() {
  std::vector<ColourSpace> out;
  for (const auto& row : colour_spaces()) out.push_back(row.id);
  return out;
}

class Formats : public ::testing::TestWithParam<std::tuple<Kind, ColourSpace>> {};

TEST_P(Formats, ComeBackAsTheLightTheyWereMadeOf) {
  const auto& [kind, space] = GetParam();
  const TempDir dir;
  const fs::path file = dir / (std::string("a") + info(kind.format).extension);
  write_chart(file, kind.format, space, kind.compression);
  const auto& profile = icc_profile(space);
  if (info(kind.format).icc) {
    ASSERT_EQ(profile_in(file), profile);
  }
  const double step = kind.format == FileFormat::jpeg ? 3.0 / 255
                      : info(kind.format).bits == 8   ? 1.6 / 255
                                                      : 3e-4;
  EXPECT_LT(worst(to_linear(decoded(file, kind.format), profile)), 1.7 * step);
}

INSTANTIATE_TEST_SUITE_P(Kinds, Formats,
                         ::testing::Combine(::testing::ValuesIn(encoded_kinds()),
                                            ::testing::ValuesIn(spaces())));

TEST(Formats, OpenExrHoldsLightAsItIs) {
  const TempDir dir;
  write_chart(dir / "a.exr", FileFormat::exr, ColourSpace::rec2020);
  const auto planes = decoded<float>(dir / "a.exr", "gbrpf32le");
  const Image image = chart();
  const std::size_t n = static_cast<std::size_t>(kWidth) * kHeight;
  const std::size_t place[] = {2 * n, 0, n};  // of red, green, blue
  for (std::size_t c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < n; ++i)
      ASSERT_NEAR(planes[place[c] + i], image.planes[c].data[i],
                  image.planes[c].data[i] / 2048 + 1e-7);
  EXPECT_NEAR(planes[n - 1], 2.5, 1e-3) << "brighter than white";
}

// As LibRaw reads it alone, and as our own reader does, with the stops above white.
TEST(Formats, DngHoldsLightForAnyReader) {
  for (const auto& space : colour_spaces()) {
    const TempDir dir;
    write_chart(dir / "a.dng", FileFormat::dng, space.id);
    LibRaw raw;
    ASSERT_EQ(raw.open_file((dir / "a.dng").c_str()), LIBRAW_SUCCESS);
    ASSERT_EQ(raw.unpack(), LIBRAW_SUCCESS);
    const auto& data = raw.imgdata.rawdata;
    ASSERT_NE(data.color4_image, nullptr) << "colours in all pixels";
    ASSERT_EQ(raw.imgdata.sizes.raw_width, kWidth);
    EXPECT_EQ(raw.imgdata.color.dng_levels.dng_whitelevel[0], 65535u);
    EXPECT_FLOAT_EQ(raw.imgdata.color.dng_levels.baseline_exposure, 1);
    const auto frame = read_frame(dir / "a.dng");
    ASSERT_TRUE(frame) << frame.error().message;
    EXPECT_EQ(frame->headroom, 1);
    PictureRecipe plain;
    const auto t = as_shot_temperature(frame->colour);
    plain.look = neutral_look(t.kelvin, t.tint);
    const Image image = chart(), back = develop_frame(*frame, plain);
    ASSERT_EQ(back.size(), image.size());
    const Mat3& to_space = rec2020_to(space.id);
    double most = 0;
    for (std::size_t i = 0; i < image.planes[0].data.size(); ++i) {
      double numbers[3];
      bool holds = true;
      for (int c = 0; c < 3; ++c) {
        numbers[c] = 0;
        for (int k = 0; k < 3; ++k) numbers[c] += to_space(c, k) * image.planes[k].data[i];
        holds = holds && numbers[c] > -0.01 && numbers[c] < 1.9;
        const auto* pixel = data.color4_image[i];
        if (numbers[c] > -0.01 && numbers[c] < 1.9) {
          ASSERT_NEAR((pixel[c] - 512) / 65023.0 * 2, numbers[c], 4e-5) << space.name;
        }
      }
      for (int c = 0; holds && c < 3; ++c)
        most = std::max<double>(most, std::fabs(back.planes[c].data[i] - image.planes[c].data[i]));
    }
    EXPECT_LT(most, 4e-3) << space.name << ": white balance by the light's temperature";
  }
}

TEST(Formats, GreyStaysGreyInEverySpace) {
  for (const auto& row : colour_spaces()) {
    const ColourSpace space = row.id;
    const Encoded16 deep = encode16(chart(), space);
    for (int x = 0; x < kWidth; ++x) {
      const std::uint16_t* p = deep.row(2) + 3 * x;
      EXPECT_LE(std::max({p[0], p[1], p[2]}) - std::min({p[0], p[1], p[2]}), 2) << info(space).name;
      const float grey = chart().planes[0].at(x, 2);
      EXPECT_NEAR(p[1] / 65535.0, info(space).transfer.encode(grey), 3e-5) << info(space).name;
    }
  }
}

TEST(Formats, AWiderSpaceKeepsColoursThatANarrowOneCannotShow) {
  Image green(2, 2);
  for (std::size_t c = 0; c < 3; ++c)
    std::ranges::fill(green.planes[c].data, c == 1 ? 0.6f : 0.02f);
  const auto back = [&](ColourSpace space) {
    const Encoded16 e = encode16(green, space);
    std::vector<float> pixels;
    for (int i = 0; i < 3; ++i) pixels.push_back(e.data[static_cast<std::size_t>(i)] / 65535.0f);
    return to_linear(pixels, icc_profile(space));
  };
  EXPECT_GT(back(ColourSpace::srgb)[0], 0.1) << "towards grey";
  for (auto space : {ColourSpace::rec2020, ColourSpace::romm}) {
    EXPECT_NEAR(back(space)[0], 0.02, 2e-3) << info(space).name;
    EXPECT_NEAR(back(space)[1], 0.6, 2e-3) << info(space).name;
  }
}

TEST(Formats, HalfColourDetailIsSmallerAndSaysSo) {
  const TempDir dir;
  write_chart(dir / "full.jpg", FileFormat::jpeg, ColourSpace::srgb);
  write_chart(dir / "half.jpg", FileFormat::jpeg, ColourSpace::srgb, Compression::none,
              Chroma::half);
  const auto sampling = [](const fs::path& file) {
    const auto bytes = *read_file(file);
    for (std::size_t i = 0; i + 11 < bytes.size(); ++i)
      if (bytes[i] == 0xFF && bytes[i + 1] == 0xC0) return static_cast<int>(bytes[i + 11]);
    return 0;
  };
  EXPECT_EQ(sampling(dir / "full.jpg"), 0x11);
  EXPECT_EQ(sampling(dir / "half.jpg"), 0x22);
}

TEST(Formats, WhatIsKnownOfTheCaptureIsInEveryFile) {
  const TempDir dir;
  for (auto format : {FileFormat::jpeg, FileFormat::tiff8, FileFormat::tiff16, FileFormat::png8}) {
    const fs::path file = dir / (std::string(info(format).name) + info(format).extension);
    write_chart(file, format, ColourSpace::p3);
    auto image = Exiv2::ImageFactory::open(file.string());
    image->readMetadata();
    auto& exif = image->exifData();
    EXPECT_EQ(exif["Exif.Photo.ExposureTime"].toString(), "1/13") << file;
    EXPECT_EQ(exif["Exif.Photo.DateTimeOriginal"].toString(), format_exif(1948732200.25)) << file;
    EXPECT_EQ(exif["Exif.Photo.SubSecTimeOriginal"].toString(), "25") << file;
    EXPECT_EQ(exif["Exif.Image.Copyright"].toString(), "© Ida Moor") << file;
    EXPECT_EQ(exif["Exif.Photo.ColorSpace"].toString(), "65535") << file;
    const FrameInfo read = read_frame_info(file);
    ASSERT_TRUE(read.location) << file;
    EXPECT_NEAR(read.location->latitude, -54.5123, 1e-5) << file;
    EXPECT_NEAR(read.location->longitude, 7.25, 1e-5) << file;
    EXPECT_NEAR(read.location->altitude.value_or(0), 12.5, 1e-2) << file;
    EXPECT_EQ(read.location->method, "GPS") << file;
    EXPECT_EQ(read.zone, "-03:30") << file;
    EXPECT_EQ(exif["Exif.Photo.OffsetTime"].toString(), "-03:30") << file;
    EXPECT_EQ(read.artist, "Jon Ferrier") << file;
  }
  const std::string xmp = xmp_packet(facts(ColourSpace::srgb), {30, 20}, {});
  for (const char* wanted :
       {"2031-10-02T18:30:00.25-03:30\"", "<dc:creator><rdf:Seq><rdf:li>Jon Ferrier<",
        "exif:GPSAltitude=\"1250/100\"", "exif:GPSAltitudeRef=\"0\"",
        "exif:GPSProcessingMethod=\"GPS\""})
    EXPECT_NE(xmp.find(wanted), std::string::npos) << wanted << " in " << xmp;
  write_chart(dir / "a.exr", FileFormat::exr, ColourSpace::srgb);
  const auto exr = *read_file(dir / "a.exr");
  const std::string head(exr.begin(), exr.begin() + 2000);
  for (const char* wanted : {"utcOffset", "altitude", "Jon Ferrier"})
    EXPECT_NE(head.find(wanted), std::string::npos) << wanted;
}

// Two versions of one profile: the same colours within a thousandth, one of them in the old form.
TEST(Formats, AProfileForOldViewersIsTheSameSpace) {
  for (const auto& row : colour_spaces()) {
    const ColourSpace space = row.id;
    const auto &now = icc_profile(space), &old = icc_profile(space, 2);
    EXPECT_EQ(now[8], 4) << info(space).name;
    EXPECT_EQ(old[8], 2) << info(space).name;
    const cmsHPROFILE a = cmsOpenProfileFromMem(now.data(), static_cast<unsigned>(now.size())),
                      b = cmsOpenProfileFromMem(old.data(), static_cast<unsigned>(old.size()));
    ASSERT_TRUE(a && b);
    char words[100] = {};
    cmsGetProfileInfoASCII(b, cmsInfoCopyright, "en", "US", words, sizeof words);
    EXPECT_EQ(std::string(words), "No copyright, use freely");
    const cmsHTRANSFORM both =
        cmsCreateTransform(a, TYPE_RGB_DBL, b, TYPE_RGB_DBL, INTENT_RELATIVE_COLORIMETRIC,
                           cmsFLAGS_NOOPTIMIZE | cmsFLAGS_NOCACHE);
    ASSERT_TRUE(both);
    for (double v : {0.02, 0.2, 0.5, 0.9}) {
      const double in[3] = {v, 0.5 * v, 0.8 * v};
      double out[3];
      cmsDoTransform(both, in, out, 1);
      for (int c = 0; c < 3; ++c) EXPECT_NEAR(out[c], in[c], 2e-3) << info(space).name << " " << v;
    }
    cmsDeleteTransform(both);
    cmsCloseProfile(a), cmsCloseProfile(b);
  }
}

TEST(Formats, ZonesAreSecondsAndNonsenseIsNone) {
  EXPECT_EQ(zone_seconds("+02:00"), 7200);
  EXPECT_EQ(zone_seconds("-03:30"), -12600);
  for (const char* none : {"", "02:00", "+2:00", "+02:60", "+15:00", "Z", "   :  ", "+02:00 "})
    EXPECT_FALSE(zone_seconds(none)) << none;
}

TEST(Formats, TheSameBytesEveryTime) {
  for (const auto& row : file_formats()) {
    const TempDir dir;
    const FileFormat format = row.id;
    write_chart(dir / "a", format, ColourSpace::romm, Compression::deflate);
    write_chart(dir / "b", format, ColourSpace::romm, Compression::deflate);
    EXPECT_EQ(*read_file(dir / "a"), *read_file(dir / "b")) << info(format).name;
  }
}

}  // namespace
}  // namespace tsukimi
