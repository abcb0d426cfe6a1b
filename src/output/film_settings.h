// What a film is made as: codec, container, quality, pixels, rate.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/result.h"
#include "develop/ycbcr.h"

namespace tsukimi {

enum class Codec { h264, h265, prores422, prores422hq, prores4444, av1, vp9, ffv1 };

struct CodecInfo {
  const char* name;                     // on the command line
  const char* label;                    // on screen
  std::vector<std::string> containers;  // extensions, the usual one first
  std::vector<int> bits;                // the usual one first
  std::vector<Sampling> sampling;       // likewise
  bool has_quality;                     // else it is what it is
};
constexpr int kCodecs = 8;
const CodecInfo& info(Codec codec);

// An exact rate: 24000/1001 for 23.976.
struct Rate {
  int frames = 24, seconds = 1;
  bool operator==(const Rate&) const = default;
};
Rate rate_of(double fps);  // 23.976, 29.97, 59.94 as they are meant; else to the thousandth

struct FilmSettings {
  std::filesystem::path file;  // its extension says the container
  Codec codec = Codec::h264;
  // One scale for every codec that has one (docs/formats.md), 0..100, or bits a second.
  double quality = 85;
  long long bitrate = 0;  // 0: by quality
  int bits = 8;
  Sampling sampling = Sampling::half_both;
  ColourSpace space = ColourSpace::rec709;  // or rec2020
  Rate rate;
  bool operator==(const FilmSettings&) const = default;
};

// Fails, with a sentence for the user, when the container does not take the codec, or the codec the
// depth, the sampling or the space; or when this machine's library lacks it.
Result<void> check_film(const FilmSettings& settings);

// The usual codec of a container (an extension with its dot); fails for one that is not known.
Result<Codec> usual_codec(const std::filesystem::path& file);

// All that decides the bytes of a film beside its pictures, in a line.
std::string text_of(const FilmSettings& settings);

}  // namespace tsukimi
