#include "document/export_settings.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "document/json_fields.h"

namespace tsukimi {
namespace {

constexpr FileFormats kFormats{{
    {FileFormat::jpeg, "jpeg", "JPEG", ".jpg", 8, true, false, true},
    {FileFormat::tiff8, "tiff8", "TIFF, 8 bit", ".tif", 8, false, true, true},
    {FileFormat::tiff16, "tiff16", "TIFF, 16 bit", ".tif", 16, false, true, true},
    {FileFormat::png8, "png8", "PNG, 8 bit", ".png", 8, false, false, true},
    {FileFormat::png16, "png16", "PNG, 16 bit", ".png", 16, false, false, true},
    {FileFormat::exr, "exr", "OpenEXR, half float", ".exr", 16, false, false, false},
}};

}  // namespace

const FileFormats& file_formats() { return kFormats; }
const FormatInfo& info(FileFormat format) { return kFormats[format]; }

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
  out.format = f.choice("format", kFormats);
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

}  // namespace tsukimi
