// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of a capture, as EXIF and as XMP.
#include <cmath>
#include <exiv2/exiv2.hpp>

#include "base/text.h"
#include "output/capture_facts.h"
#include "output/encode.h"

namespace tsukimi {
namespace {

Exiv2::URational rational(double v) {
  const auto [numerator, denominator] = exif_rational(v);
  return {numerator, denominator};
}

std::string exif_degrees(double v) {
  const ExifDegrees d(v);
  return std::to_string(d.degrees) + "/1 " + std::to_string(d.minutes) + "/1 " +
         std::to_string(d.hundredths) + "/100";
}

void add_location(Exiv2::ExifData& exif, const Location& at) {
  exif["Exif.GPSInfo.GPSVersionID"] = std::string("2 3 0 0");
  exif["Exif.GPSInfo.GPSLatitudeRef"] = std::string(at.latitude < 0 ? "S" : "N");
  exif["Exif.GPSInfo.GPSLatitude"] = exif_degrees(at.latitude);
  exif["Exif.GPSInfo.GPSLongitudeRef"] = std::string(at.longitude < 0 ? "W" : "E");
  exif["Exif.GPSInfo.GPSLongitude"] = exif_degrees(at.longitude);
  if (!at.method.empty()) {
    Exiv2::DataValue method;
    const std::string bytes = exif_undefined_text(at.method);
    method.read(reinterpret_cast<const Exiv2::byte*>(bytes.data()), bytes.size());
    exif.add(Exiv2::ExifKey("Exif.GPSInfo.GPSProcessingMethod"), &method);
  }
  if (!at.altitude) return;
  exif["Exif.GPSInfo.GPSAltitudeRef"] = std::string(*at.altitude < 0 ? "1" : "0");
  exif["Exif.GPSInfo.GPSAltitude"] =
      Exiv2::URational(static_cast<std::uint32_t>(std::lround(std::fabs(*at.altitude) * 100)), 100);
}

Exiv2::ExifData exif_of(const PictureFacts& facts, Size size) {
  const FrameInfo& frame = facts.frame;
  Exiv2::ExifData exif;
  exif["Exif.Image.Software"] = std::string("Tsukimi");
  exif["Exif.Image.Orientation"] = std::uint16_t{1};
  if (!facts.note.empty()) exif["Exif.Image.ImageDescription"] = facts.note;
  if (!facts.copyright.empty()) exif["Exif.Image.Copyright"] = facts.copyright;
  // What the standard asks for beside a picture (EXIF 2.32, tables 17 to 20).
  exif["Exif.Image.XResolution"] = Exiv2::URational(72, 1);
  exif["Exif.Image.YResolution"] = Exiv2::URational(72, 1);
  exif["Exif.Image.ResolutionUnit"] = std::uint16_t{2};  // inch
  exif["Exif.Image.YCbCrPositioning"] = std::uint16_t{1};
  exif["Exif.Photo.ExifVersion"] = std::string("48 50 51 50");          // 0232
  exif["Exif.Photo.FlashpixVersion"] = std::string("48 49 48 48");      // 0100
  exif["Exif.Photo.ComponentsConfiguration"] = std::string("1 2 3 0");  // Y Cb Cr
  for (const auto& fact : kCaptureTexts)
    if (const auto& text = fact.of(frame); !text.empty()) exif[fact.exif] = text;
  for (const auto& fact : kCaptureNumbers)
    if (const double v = fact.of(frame); v > 0) exif[fact.exif] = rational(v);
  if (frame.iso > 0)
    exif["Exif.Photo.ISOSpeedRatings"] = static_cast<std::uint16_t>(std::min(frame.iso, 65535.0));
  if (const ExifTime time(frame.time); !time.moment.empty()) {
    exif["Exif.Photo.SubSecTimeOriginal"] = time.fraction;
    exif["Exif.Photo.DateTimeOriginal"] = time.moment;
    exif["Exif.Image.DateTime"] = time.moment;
    if (!frame.zone.empty())
      exif["Exif.Photo.OffsetTimeOriginal"] = exif["Exif.Photo.OffsetTime"] = frame.zone;
  }
  constexpr std::uint16_t kIsSrgb = 1, kSeeProfile = 0xFFFF;
  exif["Exif.Photo.ColorSpace"] = facts.space == ColourSpace::srgb ? kIsSrgb : kSeeProfile;
  exif["Exif.Photo.PixelXDimension"] = static_cast<std::uint32_t>(size.width);
  exif["Exif.Photo.PixelYDimension"] = static_cast<std::uint32_t>(size.height);
  if (frame.location) add_location(exif, *frame.location);
  return exif;
}

}  // namespace

Result<Bytes> exif_block(const PictureFacts& facts, Size size) {
  try {
    const Exiv2::ExifData exif = exif_of(facts, size);
    Exiv2::Blob out;
    Exiv2::ExifParser::encode(out, Exiv2::littleEndian, exif);
    return Bytes(out.begin(), out.end());
  } catch (const std::exception& e) {
    return fail("The metadata of " + printable(facts.frame.file) +
                " could not be written: " + e.what() + ".");
  }
}

namespace {

std::string plain(double v) {
  char text[40];
  std::snprintf(text, sizeof text, "%.10g", v);
  return text;
}

std::string fraction(double v) {
  const auto [numerator, denominator] = exif_rational(v);
  return std::to_string(numerator) + "/" + std::to_string(denominator);
}

// Degrees and minutes, as XMP has them: 54,32.1234N
std::string xmp_degrees(double v, const char* sides) {
  const double degrees = std::floor(std::fabs(v));
  char text[40];
  std::snprintf(text, sizeof text, "%.0f,%.6f%c", degrees, (std::fabs(v) - degrees) * 60,
                sides[v < 0]);
  return text;
}

}  // namespace

std::string xmp_packet(const PictureFacts& facts, Size size,
                       const std::vector<std::pair<std::string, double>>& values) {
  const FrameInfo& f = facts.frame;
  std::string out =
      "<?xpacket begin=\"\xEF\xBB\xBF\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\n"
      "<x:xmpmeta xmlns:x=\"adobe:ns:meta/\">\n"
      "<rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">\n"
      "<rdf:Description rdf:about=\"\"\n"
      " xmlns:xmp=\"http://ns.adobe.com/xap/1.0/\"\n"
      " xmlns:tiff=\"http://ns.adobe.com/tiff/1.0/\"\n"
      " xmlns:exif=\"http://ns.adobe.com/exif/1.0/\"\n"
      " xmlns:dc=\"http://purl.org/dc/elements/1.1/\"\n"
      " xmlns:tsukimi=\"urn:tsukimi:values:1\"";
  const auto add = [&](const std::string& name, const std::string& value) {
    if (!value.empty()) out += "\n " + name + "=\"" + markup(value) + "\"";
  };
  add("xmp:CreatorTool", "Tsukimi");
  if (f.time > 0) {
    std::string time = format_time(f.time);
    time[10] = 'T';
    add("xmp:CreateDate", time + f.zone);
  }
  for (const auto& fact : kCaptureTexts)
    if (fact.xmp) add(fact.xmp, fact.of(f));
  add("tiff:ImageWidth", std::to_string(size.width));
  add("tiff:ImageLength", std::to_string(size.height));
  add("tiff:Orientation", "1");
  for (const auto& fact : kCaptureNumbers)
    if (const double v = fact.of(f); v > 0) add(fact.xmp, fraction(v));
  if (f.location) {
    add("exif:GPSLatitude", xmp_degrees(f.location->latitude, "NS"));
    add("exif:GPSLongitude", xmp_degrees(f.location->longitude, "EW"));
    if (const auto& altitude = f.location->altitude) {
      add("exif:GPSAltitude", std::to_string(std::lround(std::fabs(*altitude) * 100)) + "/100");
      add("exif:GPSAltitudeRef", *altitude < 0 ? "1" : "0");
    }
    add("exif:GPSProcessingMethod", f.location->method);
  }
  add("tsukimi:source", f.file);
  add("tsukimi:note", facts.note);
  for (const auto& [name, value] : values) add("tsukimi:" + name, plain(value));
  out += ">\n";
  if (f.iso > 0)
    out += "<exif:ISOSpeedRatings><rdf:Seq><rdf:li>" + plain(f.iso) +
           "</rdf:li></rdf:Seq></exif:ISOSpeedRatings>\n";
  if (!f.artist.empty())
    out +=
        "<dc:creator><rdf:Seq><rdf:li>" + markup(f.artist) + "</rdf:li></rdf:Seq></dc:creator>\n";
  if (!facts.copyright.empty())
    out += "<dc:rights><rdf:Alt><rdf:li xml:lang=\"x-default\">" + markup(facts.copyright) +
           "</rdf:li></rdf:Alt></dc:rights>\n";
  return out + "</rdf:Description>\n</rdf:RDF>\n</x:xmpmeta>\n<?xpacket end=\"w\"?>\n";
}

}  // namespace tsukimi
