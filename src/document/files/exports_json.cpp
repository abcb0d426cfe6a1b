// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/exports_json.h"

#include <cmath>

#include "base/text.h"

namespace tsukimi {

nlohmann::json to_json(Size size) { return nlohmann::json::array({size.width, size.height}); }

PixelSize read_pixel_size(const Fields& f) {
  PixelSize out;
  const auto size = f.numbers("size", 2);
  const bool none = size[0] == 0 && size[1] == 0;
  for (double side : size)
    if (!none && !(side >= 2 && side <= 65000 && side == std::floor(side)))
      f.wrong("size", "must be two whole numbers from 2 to 65000, or [0, 0]");
  out.exact = {static_cast<int>(size[0]), static_cast<int>(size[1])};
  if (f.has("long_edge")) {
    out.long_edge = f.whole("long_edge", 0, 65000);
    if (out.long_edge == 1) f.wrong("long_edge", "must be 0 or from 2 to 65000");
  }
  return out;
}

nlohmann::json to_json(const ExportSettings& s) {
  return {{"folder", to_json_name(s.folder)},
          {"pattern", to_json_name(s.pattern)},
          {"first_number", s.first_number},
          {"format", info(s.format).name},
          {"quality", s.quality},
          {"chroma", kChromas[s.chroma].name},
          {"compression", kCompressions[s.compression].name},
          {"space", info(s.space).name},
          {"size", to_json(s.pixels.exact)},
          {"long_edge", s.pixels.long_edge},
          {"copyright", s.copyright},
          {"icc", s.icc},
          {"location", s.location},
          {"sidecars", s.sidecars}};
}

ExportSettings read_export_settings(const Fields& f) {
  ExportSettings out;
  out.folder = from_json_name(f.text("folder"));
  out.pattern = from_json_name(f.text("pattern"));
  // What the first files did not have yet.
  if (f.has("first_number")) out.first_number = f.whole("first_number", 0, 999999);
  out.format = f.choice("format", file_formats());
  out.quality = f.whole("quality", 1, 100);
  if (f.has("chroma")) out.chroma = f.choice("chroma", kChromas);
  if (f.has("compression")) out.compression = f.choice("compression", kCompressions);
  if (f.has("space")) out.space = f.choice("space", colour_spaces());
  out.pixels = read_pixel_size(f);
  if (f.has("copyright")) out.copyright = f.text("copyright");
  if (f.has("icc")) {
    out.icc = f.whole("icc", 2, 4);
    if (out.icc == 3) f.wrong("icc", "must be 2 or 4");
  }
  if (f.has("location")) out.location = f.flag("location");
  if (f.has("sidecars")) out.sidecars = f.flag("sidecars");
  return out;
}

nlohmann::json to_json(const FilmSettings& f) {
  return {{"file", to_json_name(f.file)},
          {"container", f.container.substr(1)},
          {"codec", info(f.codec).name},
          {"quality", f.quality},
          {"bitrate", f.bitrate},
          {"bits", f.bits},
          {"chroma", kSamplings[f.sampling].name},
          {"space", info(f.space).name},
          {"light", kFilmLights[f.light].name},
          {"fps", f.fps},
          {"size", to_json(f.pixels.exact)},
          {"long_edge", f.pixels.long_edge},
          {"sound", to_json_name(f.sound)},
          {"poster", f.poster}};
}

FilmSettings read_film_settings(const Fields& f) {
  FilmSettings out;
  std::vector<std::string> container_names;
  for (const auto& c : containers()) container_names.push_back(c.substr(1));
  out.file = from_json_name(f.text("file"));
  out.container = containers()[f.choice("container", container_names)];
  out.codec = f.choice("codec", codecs());
  out.quality = f.number("quality", 0, 100);
  out.bitrate = f.whole("bitrate", 0, 2'000'000'000);
  out.bits = f.whole("bits", 8, 10);
  out.sampling = f.choice("chroma", kSamplings);
  constexpr ColourSpace kSpaces[] = {ColourSpace::rec709, ColourSpace::rec2020};
  out.space = kSpaces[f.choice("space", {info(kSpaces[0]).name, info(kSpaces[1]).name})];
  if (f.has("light")) out.light = f.choice("light", kFilmLights);
  out.fps = f.number("fps", 0, 240);
  if (out.fps > 0 && out.fps < 1) f.wrong("fps", "must be 0 or from 1 to 240");
  out.pixels = read_pixel_size(f);
  out.sound = from_json_name(f.text("sound"));
  out.poster = f.whole("poster", -1, 1'000'000);
  if (auto ok = check_film(out); !ok)
    f.wrong("codec", "goes with nothing of this: " + ok.error().message);
  return out;
}

}  // namespace tsukimi
