// SPDX-License-Identifier: GPL-3.0-or-later
#include <Imath/half.h>
#include <OpenEXR/ImfChannelList.h>
#include <OpenEXR/ImfChromaticitiesAttribute.h>
#include <OpenEXR/ImfFloatAttribute.h>
#include <OpenEXR/ImfFrameBuffer.h>
#include <OpenEXR/ImfHeader.h>
#include <OpenEXR/ImfIO.h>
#include <OpenEXR/ImfOutputFile.h>
#include <OpenEXR/ImfStandardAttributes.h>
#include <OpenEXR/ImfStringAttribute.h>
#include <OpenEXR/ImfThreading.h>

#include <cstring>
#include <mutex>
#include <thread>

#include "base/parallel.h"
#include "output/capture_facts.h"
#include "output/encode.h"

namespace tsukimi {
namespace {

class Memory : public Imf::OStream {
 public:
  explicit Memory(Bytes& bytes) : OStream("frame"), bytes_(bytes) {}
  void write(const char from[], int n) override {
    const std::size_t end = at_ + static_cast<std::size_t>(n);
    if (bytes_.size() < end) bytes_.resize(end);
    std::memcpy(bytes_.data() + at_, from, static_cast<std::size_t>(n));
    at_ = end;
  }
  std::uint64_t tellp() override { return at_; }
  void seekp(std::uint64_t to) override { at_ = to; }

 private:
  Bytes& bytes_;
  std::size_t at_ = 0;
};

Imath::V2f point(Chromaticity c) { return {static_cast<float>(c.x), static_cast<float>(c.y)}; }

void add_facts(Imf::Header& header, const PictureFacts& facts) {
  const FrameInfo& f = facts.frame;
  const ColourSpaceInfo& s = info(facts.space);
  Imf::addChromaticities(header, {point(s.red), point(s.green), point(s.blue), point(s.white)});
  if (f.time > 0) {
    Imf::addCapDate(header, ExifTime(f.time).moment);
    // UTC is local time plus this.
    if (const auto zone = zone_seconds(f.zone))
      Imf::addUtcOffset(header, static_cast<float>(-*zone));
  }
  for (const auto& fact : kCaptureTexts)
    if (const auto& text = fact.of(f); fact.exr && !text.empty())
      header.insert(fact.exr, Imf::StringAttribute(text));
  for (const auto& fact : kCaptureNumbers)
    if (const double v = fact.of(f); fact.exr && v > 0)
      header.insert(fact.exr, Imf::FloatAttribute(static_cast<float>(v)));
  if (f.iso > 0) Imf::addIsoSpeed(header, static_cast<float>(f.iso));
  if (f.location) {
    Imf::addLatitude(header, static_cast<float>(f.location->latitude));
    Imf::addLongitude(header, static_cast<float>(f.location->longitude));
    if (f.location->altitude) Imf::addAltitude(header, static_cast<float>(*f.location->altitude));
  }
  if (!facts.copyright.empty()) Imf::addOwner(header, facts.copyright);
  Imf::addComments(header, facts.note.empty() ? "Tsukimi" : facts.note);
}

}  // namespace

Encoded16 to_half(const Image& picture, ColourSpace space) {
  Encoded16 out(picture.width, picture.height);
  const Mat3& m = rec2020_to(space);
  parallel_rows(picture.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      std::uint16_t* to = out.row(y);
      const float* in[3] = {picture.planes[0].row(y), picture.planes[1].row(y),
                            picture.planes[2].row(y)};
      for (int x = 0; x < picture.width; ++x)
        for (int c = 0; c < 3; ++c)
          *to++ =
              half(static_cast<float>(m(c, 0) * in[0][x] + m(c, 1) * in[1][x] + m(c, 2) * in[2][x]))
                  .bits();
    }
  });
  return out;
}

Result<Bytes> encode_exr(const Encoded16& picture, const PictureFacts& facts) {
  static std::once_flag once;
  std::call_once(once, [] {
    Imf::setGlobalThreadCount(static_cast<int>(std::thread::hardware_concurrency()));
  });
  try {
    Imf::Header header(picture.width, picture.height);
    header.compression() = Imf::ZIP_COMPRESSION;
    Imf::FrameBuffer frame;
    const char* const names[] = {"R", "G", "B"};
    char* first = reinterpret_cast<char*>(const_cast<std::uint16_t*>(picture.row(0)));
    constexpr std::size_t kPixel = sizeof(half) * 3;
    for (std::size_t c = 0; c < 3; ++c) {
      header.channels().insert(names[c], Imf::Channel(Imf::HALF));
      frame.insert(names[c], Imf::Slice(Imf::HALF, first + c * sizeof(half), kPixel,
                                        kPixel * static_cast<std::size_t>(picture.width)));
    }
    add_facts(header, facts);
    Bytes out;
    Memory memory(out);
    {
      Imf::OutputFile file(memory, header);
      file.setFrameBuffer(frame);
      file.writePixels(picture.height);
    }
    return out;
  } catch (const std::exception& e) {
    return fail(std::string("An OpenEXR file could not be made: ") + e.what() + ".");
  }
}

}  // namespace tsukimi
