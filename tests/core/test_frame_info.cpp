// SPDX-License-Identifier: GPL-3.0-or-later
// What is read of a frame without its picture: EXIF as cameras write it, and as they should not.
#include <gtest/gtest.h>

#include <exiv2/exiv2.hpp>

#include "base/file.h"
#include "camera/frame_info.h"
#include "output/encode.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::TempDir;

// A small JPEG with this EXIF.
FrameInfo info_of(const std::function<void(Exiv2::ExifData&)>& write) {
  const TempDir dir;
  const auto file = dir / "a_0001.jpg";
  Encoded8 picture;
  picture.width = 24, picture.height = 16;
  picture.data.assign(24 * 16 * 3, 90);
  EXPECT_TRUE(write_file(file, *encode_jpeg(picture, 90), IfExists::keep));
  auto image = Exiv2::ImageFactory::open(file.string());
  image->readMetadata();
  write(image->exifData());
  image->writeMetadata();
  return read_frame_info(file);
}

TEST(FrameInfo, WhatACameraNotes) {
  const auto f = info_of([](Exiv2::ExifData& e) {
    e["Exif.Photo.ExposureTime"] = Exiv2::URational(1, 13);
    e["Exif.Photo.FNumber"] = Exiv2::URational(56, 10);
    e["Exif.Photo.ISOSpeedRatings"] = std::uint16_t{640};
    e["Exif.Photo.FocalLength"] = Exiv2::URational(285, 10);
    e["Exif.Photo.SubjectDistance"] = Exiv2::URational(41, 10);
    e["Exif.Photo.DateTimeOriginal"] = "2031:10:04 18:42:20";
    e["Exif.Photo.SubSecTimeOriginal"] = "75";
    e["Exif.Photo.LensModel"] = "Tidewater 28 mm f/2.8  ";
    e["Exif.Image.Make"] = "Tidewater";
    e["Exif.Image.Model"] = "Tidewater S1";
  });
  EXPECT_TRUE(f.usable());
  EXPECT_DOUBLE_EQ(f.shutter, 1.0 / 13);
  EXPECT_DOUBLE_EQ(f.aperture, 5.6);
  EXPECT_EQ(f.iso, 640);
  EXPECT_DOUBLE_EQ(f.focal_length, 28.5);
  EXPECT_DOUBLE_EQ(f.focus_distance, 4.1);
  EXPECT_EQ(format_time(f.time), "2031-10-04 18:42:20.75");
  EXPECT_EQ(f.lens, "Tidewater 28 mm f/2.8") << "blanks at the end are no part of a name";
  EXPECT_EQ(f.maker, "Tidewater");
  EXPECT_EQ(f.camera, "Tidewater S1");
  EXPECT_EQ(f.size, (Size{24, 16}));
}

TEST(FrameInfo, PlainTagsStandInWhereTheUsualOnesAreMissing) {
  const auto f = info_of([](Exiv2::ExifData& e) {
    e["Exif.Image.ExposureTime"] = Exiv2::URational(2, 1);
    e["Exif.Image.FNumber"] = Exiv2::URational(8, 1);
    e["Exif.Image.ISOSpeedRatings"] = std::uint16_t{200};
    e["Exif.Image.DateTime"] = "2031:10:05 00:00:01";
  });
  EXPECT_EQ(f.shutter, 2);
  EXPECT_EQ(f.aperture, 8);
  EXPECT_EQ(f.iso, 200);
  EXPECT_EQ(format_time(f.time), "2031-10-05 00:00:01.00");
  // The usual one counts where both are there.
  const auto both = info_of([](Exiv2::ExifData& e) {
    e["Exif.Image.ExposureTime"] = Exiv2::URational(2, 1);
    e["Exif.Photo.ExposureTime"] = Exiv2::URational(1, 4);
  });
  EXPECT_EQ(both.shutter, 0.25);
}

TEST(FrameInfo, NumbersThatMakeNoSenseAreUnknown) {
  const auto f = info_of([](Exiv2::ExifData& e) {
    e["Exif.Photo.ExposureTime"] = Exiv2::URational(1, 0);
    e["Exif.Photo.FNumber"] = Exiv2::URational(0, 10);  // an old lens without contacts
    e["Exif.Photo.SubjectDistance"] = Exiv2::URational(0xffffffff, 0);
    e["Exif.Photo.DateTimeOriginal"] = "0000:00:00 00:00:00";
    e["Exif.Photo.SubSecTimeOriginal"] = "x";
  });
  EXPECT_TRUE(f.usable());
  EXPECT_EQ(f.shutter, 0);
  EXPECT_EQ(f.aperture, 0);
  EXPECT_EQ(f.focus_distance, 0);
  EXPECT_EQ(f.time, 0);
  EXPECT_EQ(format_time(f.time), "");
  // Unknown ones count as 1 s, ISO 100 and f/1.
  EXPECT_EQ(nominal_gain(f), 0);
}

// EXIF's numbers have no sign: parts of 2^31 and more are numbers like others.
TEST(FrameInfo, LargeNumbersAreNotNegative) {
  const auto f = info_of([](Exiv2::ExifData& exif) {
    exif["Exif.Photo.ExposureTime"] = Exiv2::URational(3000000000u, 4000000000u);
    exif["Exif.Photo.FNumber"] = Exiv2::URational(4294967295u, 536870912u);
    exif["Exif.Image.AsShotNeutral"] = Exiv2::URational(1, 2);
    exif["Exif.Photo.ISOSpeedRatings"] = std::uint16_t{51200};
  });
  EXPECT_NEAR(f.shutter, 0.75, 1e-9);
  EXPECT_NEAR(f.aperture, 8, 1e-6);
  EXPECT_EQ(f.iso, 51200);
}

TEST(FrameInfo, WhiteBalanceIsBlueOverRed) {
  auto with = [](const char* neutral) {
    return info_of([&](Exiv2::ExifData& e) {
             auto value = Exiv2::Value::create(Exiv2::unsignedRational);
             value->read(neutral);
             e.add(Exiv2::ExifKey("Exif.Image.AsShotNeutral"), value.get());
           })
        .white_balance;
  };
  EXPECT_DOUBLE_EQ(with("1/2 1/1 4/5"), 0.625);  // gains 2 and 1.25
  EXPECT_EQ(with("1/2 1/1 0/5"), 0);
  EXPECT_EQ(with("1/2 1/0"), 0);
}

TEST(FrameInfo, GainsOfNominalAndExactNumbers) {
  FrameInfo f;
  f.shutter = 1.0 / 13, f.aperture = 5.6, f.iso = 640;
  EXPECT_NEAR(nominal_gain(f), std::log2(640.0 / 100 / 13 / (5.6 * 5.6)), 1e-12);
  // 1/13 s is 2^(-11/3), f/5.6 is 2^(5/2) and a third of a stop fits neither; ISO 640 is 2^(8/3).
  EXPECT_NEAR(exact_gain(f), -11.0 / 3 + 8.0 / 3 - 5, 1e-9);
  f.shutter = 1.0 / 11.3;  // between two thirds: a camera with other steps
  EXPECT_NEAR(exact_gain(f), std::log2(1 / 11.3) + 8.0 / 3 - 5, 0.13);
}

TEST(FrameInfo, FilesThatAreNone) {
  const TempDir dir;
  EXPECT_NE(read_frame_info(dir / "nowhere.dng").problem.find("cannot be opened"),
            std::string::npos);
  std::ofstream(dir / "empty.dng").close();
  EXPECT_NE(read_frame_info(dir / "empty.dng").problem.find("empty"), std::string::npos);
  std::ofstream(dir / "text.dng") << "this is a letter to the harbour master";
  const auto text = read_frame_info(dir / "text.dng");
  EXPECT_FALSE(text.usable());
  EXPECT_EQ(text.file, "text.dng");
  EXPECT_EQ(text.bytes, 38u);
}

}  // namespace
}  // namespace tsukimi
