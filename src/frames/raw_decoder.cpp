#include "frames/raw_decoder.h"

#include <algorithm>
#include <bit>
#include <cstring>

#include "image/parallel.h"

namespace tsukimi {
namespace {

// LibRaw fills damaged parts with zeros and only tells a callback; we want to know.
// (Generic because LibRaw's own versions disagree on the offset's type.)
constexpr auto note_damage = [](void* flag, const char*, auto) {
  *static_cast<bool*>(flag) = true;
};

}  // namespace

int RawDecoder::open(const std::filesystem::path& path) {
  set_dataerror_handler(note_damage, &damaged_);
  imgdata.params.use_camera_wb = 1;
  // Margins that are there only for interpolation stay out, as the maker wants it (whole patterns).
  imgdata.params.raw_processing_options |= LIBRAW_PROCESSING_USE_DNG_DEFAULT_CROP;
  return open_file(path.c_str());
}

bool RawDecoder::has_possible_size() const {
  const auto& s = imgdata.sizes;
  return std::min({s.raw_width, s.raw_height, s.width, s.height}) >= 4 &&
         static_cast<std::uint64_t>(s.raw_width) * s.raw_height <= 500'000'000ULL &&
         s.left_margin + s.width <= s.raw_width && s.top_margin + s.height <= s.raw_height;
}

Size RawDecoder::seen_size() const {
  const auto& s = imgdata.sizes;
  return is_bayer() ? Size{s.width & ~1, s.height & ~1} : Size{s.width, s.height};
}

bool RawDecoder::decode() {
  // The numbers of an uncompressed DNG are copied by LibRaw pixel by pixel, which takes most of the
  // time until a frame is there. All rows at once are the same numbers.
  libraw_decoder_info_t how;
  const auto& file = libraw_internal_data.unpacker_data;
  if (get_decoder_info(&how) == LIBRAW_SUCCESS &&
      std::strcmp(how.decoder_name, "packed_dng_load_raw()") == 0 && file.tiff_bps == 16 &&
      file.tiff_samples == 1 && (imgdata.idata.filters || imgdata.idata.colors == 1))
    load_raw = static_cast<void (LibRaw::*)()>(&RawDecoder::load_rows);
  return unpack() == LIBRAW_SUCCESS && !damaged_;
}

// What unpack() calls, with the file at the first number and room for all of them.
void RawDecoder::load_rows() {
  const int width = imgdata.sizes.raw_width, height = imgdata.sizes.raw_height;
  const auto count = static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
  auto* numbers = imgdata.rawdata.raw_image;
  auto* input = libraw_internal_data.internal_data.input;
  if (static_cast<std::size_t>(input->read(numbers, 2, count)) != count) damaged_ = true;
  constexpr short kLittle = 0x4949, kBig = 0x4d4d;
  const bool turned = libraw_internal_data.unpacker_data.order !=
                      (std::endian::native == std::endian::little ? kLittle : kBig);
  const auto& curve = imgdata.color.curve;
  bool straight = true;
  for (unsigned i = 0; i < 0x10000 && straight; ++i) straight = curve[i] == i;
  if (!turned && straight) return;
  parallel_rows(height, [&](int y0, int y1) {
    auto* end = numbers + static_cast<std::size_t>(y1) * width;
    for (auto* n = numbers + static_cast<std::size_t>(y0) * width; n < end; ++n)
      *n = curve[turned ? static_cast<std::uint16_t>(*n << 8 | *n >> 8) : *n];
  });
}

}  // namespace tsukimi
