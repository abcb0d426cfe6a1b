#include "output/film_settings.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>

namespace tsukimi {
namespace {

constexpr auto k420 = Sampling::half_both, k422 = Sampling::half_across, k444 = Sampling::full;

const std::array<CodecInfo, kCodecs>& codecs() {
  static const std::array<CodecInfo, kCodecs> all{{
      {"h264", "H.264", {".mp4", ".mov", ".mkv"}, {8, 10}, {k420, k422}, true},
      {"h265", "H.265", {".mp4", ".mov", ".mkv"}, {8, 10}, {k420, k422}, true},
      {"prores422", "ProRes 422", {".mov", ".mkv"}, {10}, {k422}, false},
      {"prores422hq", "ProRes 422 HQ", {".mov", ".mkv"}, {10}, {k422}, false},
      {"prores4444", "ProRes 4444", {".mov", ".mkv"}, {10}, {k444}, false},
      {"av1", "AV1", {".webm", ".mkv", ".mp4"}, {8, 10}, {k420}, true},
      {"vp9", "VP9", {".webm", ".mkv", ".mp4"}, {8, 10}, {k420, k422, k444}, true},
      {"ffv1", "FFV1, lossless", {".mkv"}, {8, 10}, {k444, k422, k420}, false},
  }};
  return all;
}

const char* name_of(Sampling s) { return s == k420 ? "420" : s == k422 ? "422" : "444"; }

bool takes(const std::vector<std::string>& list, const std::string& what) {
  return std::ranges::find(list, what) != list.end();
}

std::string extension_of(const std::filesystem::path& file) {
  std::string out = file.extension().string();
  for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

}  // namespace

const CodecInfo& info(Codec codec) { return codecs()[static_cast<std::size_t>(codec)]; }

Rate rate_of(double fps) {
  const double whole = std::round(fps);
  if (std::fabs(fps - whole) < 5e-4) return {static_cast<int>(whole), 1};
  // 24000/1001 and its kin are written with two or three decimals.
  const double kin = std::round(fps * 1.001);
  if (std::fabs(fps - kin * 1000 / 1001) < 6e-3) return {static_cast<int>(kin) * 1000, 1001};
  return {static_cast<int>(std::lround(fps * 1000)), 1000};
}

Result<Codec> usual_codec(const std::filesystem::path& file) {
  const std::string extension = extension_of(file);
  if (extension == ".mp4") return Codec::h264;
  if (extension == ".mov") return Codec::prores422hq;
  if (extension == ".webm") return Codec::vp9;
  if (extension == ".mkv") return Codec::ffv1;
  return fail("A film's file ends in .mp4, .mov, .webm or .mkv, \"" + file.filename().string() +
              "\" does not.");
}

Result<void> check_film(const FilmSettings& f) {
  if (auto known = usual_codec(f.file); !known) return tl::unexpected(known.error());
  const CodecInfo& codec = info(f.codec);
  const std::string label = codec.label, extension = extension_of(f.file);
  if (!takes(codec.containers, extension)) {
    std::string list;
    for (const auto& c : codec.containers) list += (list.empty() ? "" : ", ") + c;
    return fail(label + " does not go into a " + extension + " file; it goes into " + list + ".");
  }
  if (std::ranges::find(codec.bits, f.bits) == codec.bits.end())
    return fail(label + " has no " + std::to_string(f.bits) + " bit here.");
  if (std::ranges::find(codec.sampling, f.sampling) == codec.sampling.end())
    return fail(label + " has no 4:" + std::string(name_of(f.sampling)).substr(1, 1) + ":" +
                name_of(f.sampling)[2] + " here.");
  if (f.space != ColourSpace::rec709 && f.space != ColourSpace::rec2020)
    return fail("A film is in Rec. 709 or Rec. 2020.");
  return {};
}

std::string text_of(const FilmSettings& f) {
  char text[200];
  std::snprintf(text, sizeof text, "film 1 %s %g %lld %d %s %s %d/%d", info(f.codec).name,
                f.quality, f.bitrate, f.bits, name_of(f.sampling), info(f.space).name,
                f.rate.frames, f.rate.seconds);
  return text;
}

}  // namespace tsukimi
