// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever changes bytes changes the recipe, or an export would go on with other files than it
// began with; and a recipe that differs without need would make files anew. Held to every option:
// one that is added does not compile until it stands in a list here.
#include <gtest/gtest.h>

#include "develop/develop.h"
#include "document/exports/film_settings.h"
#include "output/export_manifest.h"
#include "output/film_segment.h"
#include "output/format_encoder.h"
#include "output/numbered_frames.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::TempDir;

Image gradient(Size size) {
  Image out(size.width, size.height);
  for (std::size_t c = 0; c < 3; ++c)
    for (int y = 0; y < size.height; ++y)
      for (int x = 0; x < size.width; ++x)
        out.planes[c].at(x, y) =
            0.05f +
            0.8f * static_cast<float>(x * (c == 0) + y * (c == 1) + (size.width - x) * (c == 2)) /
                static_cast<float>(size.width + size.height);
  return out;
}

FilmRecipe recipe_of_a_frame() {
  PictureRecipe picture;
  picture.source.info.file = "A_0001.dng";
  picture.source.info.time = 1.9e9;
  picture.source.info.location = Location{54.5, -3.2, {}, {}};
  picture.look = neutral_look(5600, 0);
  picture.placement.size = {64, 48};
  FilmRecipe out;
  out.time = 1.9e9;
  out.takes.push_back({picture, 1});
  return out;
}

template <typename Settings>
struct Option {
  const char* name;
  std::function<void(Settings&)> set;
};

std::vector<Option<ExportSettings>> frame_options() {
  using S = ExportSettings;
  {  // A field that is new is to be in the list below, or said here to change no bytes.
    auto& [folder, pattern, first_number, format, quality, chroma, compression, space, pixels,
           copyright, icc, location, sidecars] = *std::make_unique<S>();
    (void)std::tie(folder, pattern, first_number, format, quality, chroma, compression, space,
                   pixels, copyright, icc, location, sidecars);
  }
  return {{"folder", [](S& s) { s.folder = "/elsewhere"; }},
          {"pattern", [](S& s) { s.pattern = "x_###"; }},
          {"first_number", [](S& s) { s.first_number = 100; }},
          {"quality", [](S& s) { s.quality = 60; }},
          {"chroma", [](S& s) { s.chroma = Chroma::half; }},
          {"compression, lzw", [](S& s) { s.compression = Compression::lzw; }},
          {"compression, deflate", [](S& s) { s.compression = Compression::deflate; }},
          {"space, rec709", [](S& s) { s.space = ColourSpace::rec709; }},
          {"space, p3", [](S& s) { s.space = ColourSpace::p3; }},
          {"space, rec2020", [](S& s) { s.space = ColourSpace::rec2020; }},
          {"copyright", [](S& s) { s.copyright = "Ana"; }},
          {"icc", [](S& s) { s.icc = 2; }},
          {"location", [](S& s) { s.location = false; }},
          {"sidecars", [](S& s) { s.sidecars = true; }}};
}

TEST(Options, WhatChangesAFrameChangesItsRecipeAndNothingElseDoes) {
  const TempDir dir;
  const Image picture = gradient({64, 48});
  const FilmRecipe recipe = recipe_of_a_frame();
  auto bytes = [&](const ExportSettings& how) {
    const FormatEncoder& encoder = encoder_of(how.format);
    auto file = encoder.write(dir / "f", encoder.encode(picture, facts_of(how, recipe)), how,
                              facts_of(how, recipe));
    EXPECT_TRUE(file) << file.error().message;
    return *read_file(file->temporary());
  };
  std::map<std::string, int> counted;
  for (const FormatInfo& format : file_formats()) {
    ExportSettings base;
    base.format = format.id;
    for (const auto& option : frame_options()) {
      ExportSettings other = base;
      option.set(other);
      const bool changed = bytes(other) != bytes(base),
                 told = export_recipe(recipe, other) != export_recipe(recipe, base);
      counted[option.name] += changed;
      EXPECT_TRUE(told || !changed) << format.name << ", " << option.name << " is not told";
      // What has no profile, and that sRGB and Rec. 709 have the same primaries.
      const std::string name = option.name;
      const bool harmless = !format.icc && (name == "icc" || name == "space, rec709");
      EXPECT_TRUE(changed || !told || harmless) << format.name << ", " << option.name;
    }
    for (const FormatInfo& another : file_formats()) {
      ExportSettings other = base;
      other.format = another.id;
      EXPECT_EQ(export_recipe(recipe, other) != export_recipe(recipe, base),
                another.id != format.id);
    }
  }
  for (const char* counts :
       {"quality", "chroma", "compression, lzw", "space, p3", "copyright", "icc", "location"})
    EXPECT_GT(counted[counts], 0) << counts << " changes nothing";
}

std::vector<Option<FilmSettings>> film_options() {
  using S = FilmSettings;
  {
    auto& [file, container, codec, quality, bitrate, bits, sampling, space, light, fps, pixels,
           sound, poster] = *std::make_unique<S>();
    (void)std::tie(file, container, codec, quality, bitrate, bits, sampling, space, light, fps,
                   pixels, sound, poster);
  }
  return {{"file", [](S& s) { s.file = "/elsewhere.mkv"; }},
          {"quality", [](S& s) { s.quality = 40; }},
          {"bitrate", [](S& s) { s.bitrate = 300'000; }},
          {"another bitrate", [](S& s) { s.bitrate = 3'000'000; }},
          {"bits", [](S& s) { s.bits = 10; }},
          {"sampling", [](S& s) { s.sampling = Sampling::half_across; }},
          {"space", [](S& s) { s.space = ColourSpace::rec2020; }},
          {"fps", [](S& s) { s.fps = 30; }},
          {"poster", [](S& s) { s.poster = 2; }}};
}

TEST(Options, WhatChangesAFilmChangesItsText) {
  const Image picture = gradient({64, 48});
  auto bytes = [&](const FilmSettings& how) {
    const Rate rate = rate_of(how.fps > 0 ? how.fps : 24);
    auto encoder = SegmentEncoder::open(how, rate, {64, 48});
    EXPECT_TRUE(encoder) << encoder.error().message;
    for (int k = 0; k < 6; ++k)
      EXPECT_TRUE(encoder->add(to_ycbcr(picture, how.space, how.bits, how.sampling), "-"));
    auto segment = encoder->finish();
    EXPECT_TRUE(segment);
    std::vector<std::uint8_t> out = segment->headers;
    for (const auto& p : segment->packets) out.insert(out.end(), p.data.begin(), p.data.end());
    return out;
  };
  auto text = [](const FilmSettings& how) {
    return text_of(how, rate_of(how.fps > 0 ? how.fps : 24));
  };
  std::set<std::string> texts;
  for (Codec codec : {Codec::h264, Codec::h265}) {
    FilmSettings base;
    base.container = ".mkv";
    set_codec(base, codec);
    texts.insert(text(base));
    std::vector<FilmSettings> all{base};
    for (const auto& option : film_options()) {
      FilmSettings other = base;
      option.set(other);
      ASSERT_TRUE(check_film(other)) << option.name;
      for (const FilmSettings& known : all) {
        EXPECT_TRUE(bytes(known) == bytes(other) || text(known) != text(other)) << option.name;
      }
      if (std::string(option.name) == "file" || std::string(option.name) == "poster") {
        EXPECT_EQ(text(other), text(base)) << option.name;
      }
      all.push_back(other);
      texts.insert(text(other));
    }
  }
  EXPECT_EQ(texts.size(), 2 * 8u) << "two codecs, each as it is and in seven other ways";
  for (const CodecInfo& codec : codecs()) {
    FilmSettings f;
    set_codec(f, codec.id);
    texts.insert(text(f));
  }
  EXPECT_EQ(texts.size(), 16 + codecs().names().size() - 2) << "those two are as before";
}

// Every value of the table, of the look and of places, is told where it is not at its preset, and
// no two are told alike.
TEST(Options, EveryValueIsInTheRecipe) {
  std::set<std::string> texts;
  std::size_t expected = 0;
  auto told = [&](const PictureRecipe& recipe, const char* name) {
    ++expected;
    EXPECT_TRUE(texts.insert(text_of(recipe)).second) << name;
  };
  const PictureRecipe base = recipe_of_a_frame().takes.front().picture;
  told(base, "as it is");
  for (const auto& row : kLook.rows())
    for (double v : {row.min, row.max, (row.min + 2 * row.preset) / 3 + 1e-3})
      if (v != row.preset && v != base.look[row.id]) {
        PictureRecipe other = base;
        other.look[row.id] = v;
        told(other, row.name);
      }
  PlaceAt place;
  place.values = presets(kPlace);
  for (const auto& row : kPlace.rows())
    for (double v : {row.min, row.max})
      if (v != row.preset) {
        PictureRecipe other = base;
        other.places = {place};
        other.places[0].values[row.id] = v;
        told(other, row.name);
      }
  EXPECT_EQ(texts.size(), expected);
}

}  // namespace
}  // namespace tsukimi
