// SPDX-License-Identifier: GPL-3.0-or-later
// What a film is made as: codec, container, quality, pixels, rate.
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "base/result.h"
#include "develop/wide_light.h"
#include "develop/ycbcr.h"
#include "document/exports/export_settings.h"

namespace tsukimi {

enum class Codec { h264, h265, prores422, prores422hq, prores4444, av1, vp9, ffv1, gif };

struct CodecInfo {
  Codec id;
  const char* name;                         // on the command line
  const char* label;                        // on screen
  std::span<const char* const> containers;  // extensions, the usual one first
  std::span<const int> bits;                // the usual one first
  std::span<const Sampling> sampling;       // likewise
  bool has_quality;                         // else it is what it is
  bool each_frame_alone;                    // no frame needs another
};
using Codecs = Table<Codec, CodecInfo>;
const Codecs& codecs();
const CodecInfo& info(Codec codec);

// An exact rate: 24000/1001 for 23.976.
struct Rate {
  int frames = 24, seconds = 1;
  bool operator==(const Rate&) const = default;
};
Rate rate_of(double fps);  // 23.976, 29.97, 59.94 as they are meant; else to the thousandth

struct FilmSettings {
  std::string file;  // empty: not chosen yet
  std::string container = ".mp4";
  Codec codec = Codec::h264;
  // One scale for every codec that has one (docs/formats.md), 0..100, or bits a second.
  double quality = 85;
  long long bitrate = 0;  // 0: by quality
  int bits = 8;
  Sampling sampling = Sampling::half_both;
  ColourSpace space = ColourSpace::rec709;  // or rec2020
  FilmLight light = FilmLight::standard;    // else in Rec. 2020 of 10 bit, by H.265 or AV1
  double fps = 0;                           // 0: the shoot's
  PixelSize pixels = {};                    // both sides are made even
  std::string sound = {};                   // a file of it; empty: none
  int poster = -1;                          // a frame of the film, from 0, as a JPEG; -1: none
  bool operator==(const FilmSettings&) const = default;
};

// The settings that a container is usually made with (an extension with its dot); fails for one
// that is not known.
Result<FilmSettings> usual_film(const std::string& container);
const std::vector<std::string>& containers();

// Another codec or container, with all that does not go with it as it usually is.
void set_codec(FilmSettings& film, Codec codec);
void set_container(FilmSettings& film, const std::string& container);

// Wide light with a codec, the bits and the space that it takes, or the standard one. The container
// stays (a GIF takes none: check_film says so).
void set_light(FilmSettings& film, FilmLight light);

// Fails, with a sentence for the user, when the container does not take the codec, or the codec the
// depth, the sampling, the rate or the space.
Result<void> check_film(const FilmSettings& film);

// The file's extension in small letters, ".mp4".
std::string container_of(const std::filesystem::path& file);

// All that decides the bytes of a film's pictures beside the pictures themselves, in a line.
std::string text_of(const FilmSettings& film, Rate rate);

}  // namespace tsukimi
