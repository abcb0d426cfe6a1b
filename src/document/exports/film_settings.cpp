// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/exports/film_settings.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>

namespace tsukimi {
namespace {

constexpr const char *kMp4[] = {".mp4", ".mov", ".mkv"}, *kMov[] = {".mov", ".mkv"},
                     *kWebm[] = {".webm", ".mkv", ".mp4"}, *kMkv[] = {".mkv"}, *kGif[] = {".gif"};
constexpr int k8[] = {8}, k10[] = {10}, k8or10[] = {8, 10};
constexpr auto k420 = Sampling::half_both, k422 = Sampling::half_across, k444 = Sampling::full;
constexpr Sampling kOnly420[] = {k420}, kOnly422[] = {k422}, kOnly444[] = {k444},
                   k420or422[] = {k420, k422}, kUpTo444[] = {k420, k422, k444},
                   k444OrLess[] = {k444, k422, k420};

constexpr Codecs kCodecs{{
    {Codec::h264, "h264", "H.264", kMp4, k8or10, k420or422, true, false},
    {Codec::h265, "h265", "H.265", kMp4, k8or10, k420or422, true, false},
    {Codec::prores422, "prores422", "ProRes 422", kMov, k10, kOnly422, false, true},
    {Codec::prores422hq, "prores422hq", "ProRes 422 HQ", kMov, k10, kOnly422, false, true},
    {Codec::prores4444, "prores4444", "ProRes 4444", kMov, k10, kOnly444, false, true},
    {Codec::av1, "av1", "AV1", kWebm, k8or10, kOnly420, true, false},
    {Codec::vp9, "vp9", "VP9", kWebm, k8or10, kUpTo444, true, false},
    {Codec::ffv1, "ffv1", "FFV1, lossless", kMkv, k8or10, k444OrLess, false, true},
    {Codec::gif, "gif", "GIF", kGif, k8, kOnly444, false, true},
}};

template <typename List, typename T>
bool takes(const List& list, const T& what) {
  return std::ranges::find(list, what) != list.end();
}

}  // namespace

const Codecs& codecs() { return kCodecs; }
const CodecInfo& info(Codec codec) { return kCodecs[codec]; }

std::string container_of(const std::filesystem::path& file) {
  std::string out = file.extension().string();
  for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

Rate rate_of(double fps) {
  const double whole = std::round(fps);
  if (std::fabs(fps - whole) < 5e-4) return {static_cast<int>(whole), 1};
  // 24000/1001 and its kin are written with two or three decimals.
  const double kin = std::round(fps * 1.001);
  if (std::fabs(fps - kin * 1000 / 1001) < 6e-3) return {static_cast<int>(kin) * 1000, 1001};
  return {static_cast<int>(std::lround(fps * 1000)), 1000};
}

namespace {

struct Usual {
  const char* container;
  Codec codec;
};
constexpr std::array<Usual, 5> kUsual{{{".mp4", Codec::h264},
                                       {".mov", Codec::prores422hq},
                                       {".webm", Codec::vp9},
                                       {".mkv", Codec::ffv1},
                                       {".gif", Codec::gif}}};

bool takes_wide_light(const FilmSettings& f) {
  return (f.codec == Codec::h265 || f.codec == Codec::av1) && f.bits == 10 &&
         f.space == ColourSpace::rec2020;
}

// What the codec does not have becomes what it usually has.
void fit_to_codec(FilmSettings& f) {
  const CodecInfo& codec = info(f.codec);
  if (!takes(codec.bits, f.bits)) f.bits = codec.bits.front();
  if (!takes(codec.sampling, f.sampling)) f.sampling = codec.sampling.front();
  if (!codec.has_quality) f.bitrate = 0;
  if (!takes_wide_light(f)) f.light = FilmLight::standard;
  if (f.codec != Codec::gif) return;
  f.space = ColourSpace::rec709;
  f.sound.clear();
}

}  // namespace

const std::vector<std::string>& containers() {
  static const std::vector<std::string> all = [] {
    std::vector<std::string> out;
    for (const Usual& u : kUsual) out.emplace_back(u.container);
    return out;
  }();
  return all;
}

void set_codec(FilmSettings& f, Codec codec) {
  f.codec = codec;
  const auto& fitting = info(codec).containers;
  if (!takes(fitting, f.container)) f.container = fitting.front();
  fit_to_codec(f);
}

void set_container(FilmSettings& f, const std::string& container) {
  f.container = container;
  if (!takes(info(f.codec).containers, container))
    for (const Usual& u : kUsual)
      if (container == u.container) f.codec = u.codec;
  fit_to_codec(f);
}

void set_light(FilmSettings& f, FilmLight light) {
  if (light != FilmLight::standard) {
    if (f.codec != Codec::h265 && f.codec != Codec::av1) {
      f.codec = f.container == ".webm" ? Codec::av1 : Codec::h265;
      fit_to_codec(f);
    }
    f.bits = 10;
    f.space = ColourSpace::rec2020;
  }
  f.light = light;
}

Result<FilmSettings> usual_film(const std::string& container) {
  for (const Usual& u : kUsual)
    if (container == u.container) {
      FilmSettings out;
      out.container = container;
      set_codec(out, u.codec);
      out.bits = info(u.codec).bits.front();
      out.sampling = info(u.codec).sampling.front();
      return out;
    }
  std::string list;
  for (const auto& c : containers()) list += (list.empty() ? "" : ", ") + c;
  return fail("A film's file ends in " + list + "; \"" + container + "\" is none of them.");
}

Result<void> check_film(const FilmSettings& f) {
  if (auto known = usual_film(f.container); !known) return tl::unexpected(known.error());
  const CodecInfo& codec = info(f.codec);
  const std::string label = codec.label;
  if (!takes(codec.containers, f.container)) {
    std::string list;
    for (const std::string c : codec.containers) list += (list.empty() ? "" : ", ") + c;
    return fail(label + " does not go into a " + f.container + " file; it goes into " + list + ".");
  }
  if (!takes(codec.bits, f.bits))
    return fail(label + " has no " + std::to_string(f.bits) + " bit here.");
  const std::string chroma = kSamplings[f.sampling].name;
  if (!takes(codec.sampling, f.sampling))
    return fail(label + " has no 4:" + chroma[1] + ":" + chroma[2] + " here.");
  if (f.bitrate > 0 && !codec.has_quality)
    return fail(label + " takes the bits that it takes: no rate can be asked for.");
  if (f.space != ColourSpace::rec709 && f.space != ColourSpace::rec2020)
    return fail("A film is in Rec. 709 or Rec. 2020.");
  if (f.light != FilmLight::standard && !takes_wide_light(f))
    return fail("Wide light (PQ, HLG) goes with H.265 or AV1, 10 bit and Rec. 2020.");
  if (f.codec == Codec::gif && f.space != ColourSpace::rec709)
    return fail("A GIF has the colours of sRGB.");
  if (f.codec == Codec::gif && !f.sound.empty()) return fail("A GIF has no sound.");
  return {};
}

std::string text_of(const FilmSettings& f, Rate rate) {
  char text[200];
  std::snprintf(text, sizeof text, "film 2 %s %g %lld %d %s %s %d/%d", info(f.codec).name,
                f.quality, f.bitrate, f.bits, kSamplings[f.sampling].name, info(f.space).name,
                rate.frames, rate.seconds);
  if (f.light != FilmLight::standard) return std::string(text) + " " + kFilmLights[f.light].name;
  return text;
}

}  // namespace tsukimi
