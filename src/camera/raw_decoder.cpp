// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/raw_decoder.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <utility>

#include "base/parallel.h"
#include "camera/packed_tiles.h"
#include "camera/raw_digest.h"

namespace tsukimi {
namespace {

// LibRaw fills damaged parts with zeros and only tells a callback; we want to know.
// (Generic because LibRaw's own versions disagree on the offset's type.)
constexpr auto note_damage = [](void* flag, const char*, auto) {
  *static_cast<bool*>(flag) = true;
};

}  // namespace

int WatchedFile::read(void* to, std::size_t size, std::size_t count) {
  constexpr std::size_t kBlock = 4096;
  const bool at_end = tell() >= this->size();
  const int got = LibRaw_file_datastream::read(to, size, count);
  const std::size_t wanted = size * count, have = size * static_cast<std::size_t>(std::max(got, 0));
  if (have < wanted) {
    missing_ += wanted - have;
    asked_beyond_ += at_end && wanted < kBlock;
  }
  return got;
}

int WatchedFile::get_char() {
  const int c = LibRaw_file_datastream::get_char();
  asked_beyond_ += c < 0;
  return c;
}

int WatchedFile::seek(INT64 offset, int whence) {
  if (before_seek) std::exchange(before_seek, nullptr)();
  return LibRaw_file_datastream::seek(offset, whence);
}

// Decoders that read block by block ask for a little more than there is in whole files too, and a
// bit reader looks a few bytes ahead.
bool WatchedFile::ended_early() const {
  constexpr std::size_t kLastBlock = 0x4000;
  constexpr int kAhead = 8;
  return missing_ > kLastBlock || asked_beyond_ > kAhead;
}

int RawDecoder::open(const std::filesystem::path& path) {
  set_dataerror_handler(note_damage, &damaged_);
  imgdata.params.use_camera_wb = 1;
  path_ = path;
  file_ = std::make_unique<WatchedFile>(path.c_str());
  return file_->valid() ? open_datastream(file_.get()) : LIBRAW_IO_ERROR;
}

RawDecoder::~RawDecoder() { recycle(); }  // while the file is still there

const std::optional<TiffTags>& RawDecoder::tags() {
  if (!tags_) tags_ = TiffTags::read(path_);
  return *tags_;
}

bool RawDecoder::has_possible_size() const {
  const auto& s = imgdata.sizes;
  return std::min({s.raw_width, s.raw_height, s.width, s.height}) >= 4 &&
         static_cast<std::uint64_t>(s.raw_width) * s.raw_height <= 500'000'000ULL &&
         s.left_margin + s.width <= s.raw_width && s.top_margin + s.height <= s.raw_height;
}

const StoredArea& RawDecoder::seen() {
  if (seen_) return *seen_;
  if (is_dng() && tags()) seen_ = dng_area(*tags());
  const auto& s = imgdata.sizes;
  const bool there = seen_ && seen_->left + seen_->width <= s.raw_width &&
                     seen_->top + seen_->height <= s.raw_height;
  // What the decoder interpolates is there between its own margins only.
  const bool whole = is_bayer() || imgdata.idata.filters == 0 ||
                     (seen_ && seen_->left >= s.left_margin && seen_->top >= s.top_margin &&
                      seen_->left + seen_->width <= s.left_margin + s.width &&
                      seen_->top + seen_->height <= s.top_margin + s.height);
  if (!there || !whole)
    seen_ = StoredArea{s.left_margin, s.top_margin, s.width, s.height, s.left_margin, s.top_margin};
  return *seen_;
}

bool RawDecoder::decode() {
  if (is_dng() && tags() && !raw_data_makes_sense(*tags())) return false;
  // Room for the numbers is made just before the file is set to the first of them. What a decoder
  // does not fill is black then, not what the memory held before.
  file_->before_seek = [this] {
    const auto& s = imgdata.sizes;
    if (imgdata.rawdata.raw_image && imgdata.rawdata.raw_alloc == imgdata.rawdata.raw_image)
      std::memset(imgdata.rawdata.raw_image, 0, std::size_t{s.raw_width} * s.raw_height * 2);
  };
  choose_loader();
  // What the head of the file asked for beyond its end is no damage of the picture.
  file_->forget();
  const bool unpacked = unpack() == LIBRAW_SUCCESS;
  file_->before_seek = nullptr;
  if (!unpacked || damaged_ || error_count() != 0 || file_->ended_early()) return false;
  const auto& s = imgdata.sizes;
  return !is_dng() || !tags() || !imgdata.rawdata.raw_image ||
         has_the_numbers_it_says(*tags(), imgdata.rawdata.raw_image, s.raw_width, s.raw_height,
                                 s.raw_pitch / 2);
}

// Three kinds of DNG are unpacked here, to the same numbers in a fraction of the time.
void RawDecoder::choose_loader() {
  libraw_decoder_info_t how;
  if (get_decoder_info(&how) != LIBRAW_SUCCESS) return;
  const auto& file = libraw_internal_data.unpacker_data;
  const std::string_view name = how.decoder_name;
  const bool plain = imgdata.idata.filters || imgdata.idata.colors == 1;
  if (!plain || file.tiff_samples != 1) return;
  if (name == "packed_dng_load_raw()" && file.tiff_bps == 16) {
    load_raw = static_cast<void (LibRaw::*)()>(&RawDecoder::load_rows);
    file_->before_seek = nullptr;  // every number is read
  }
  const auto bits = file.tiff_bps;
  if (name == "packed_dng_load_raw()" && (bits == 10 || bits == 12 || bits == 14)) {
    load_raw = static_cast<void (LibRaw::*)()>(&RawDecoder::load_bits);
    file_->before_seek = nullptr;
  }
  // Versions before 1.1 took one code for another.
  if (name == "lossless_dng_load_raw()" && imgdata.idata.dng_version >= 0x01010000)
    own_load_ = std::exchange(load_raw, static_cast<void (LibRaw::*)()>(&RawDecoder::load_packed));
}

// What unpack() calls, with the file at the first number and room for all of them.
void RawDecoder::load_packed() {
  const auto& s = imgdata.sizes;
  auto* numbers = imgdata.rawdata.raw_image;
  const auto tiles =
      numbers && tags() ? packed_tiles(*tags(), s.raw_width, s.raw_height) : std::nullopt;
  const auto how =
      tiles ? tsukimi::unpack(*tiles, *tags(), imgdata.color.curve, numbers) : Lossless::unknown;
  unpacked_here_ = how == Lossless::whole;
  damaged_ = damaged_ || how == Lossless::damaged;
  if (how == Lossless::unknown) (this->*own_load_)();
}

namespace {

// Four numbers of `bits` each, highest bit first, lie in bits / 2 bytes; eight bytes are read for
// them.
void unpack_row(const std::uint8_t* from, unsigned bits, int width, const std::uint16_t* curve,
                std::uint16_t* to) {
  const std::uint64_t mask = (std::uint64_t{1} << bits) - 1;
  for (int x = 0; x < width; x += 4, from += bits / 2) {
    std::uint64_t all;
    std::memcpy(&all, from, sizeof all);
    if constexpr (std::endian::native == std::endian::little) all = __builtin_bswap64(all);
    const int count = std::min(4, width - x);
    for (int k = 0; k < count; ++k)
      to[x + k] =
          static_cast<std::uint16_t>(all >> (64 - bits * static_cast<unsigned>(k + 1)) & mask);
  }
  if (curve)
    for (int x = 0; x < width; ++x) to[x] = curve[to[x]];
}

bool is_straight(const std::uint16_t* curve) {
  for (unsigned i = 0; i < 0x10000; ++i)
    if (curve[i] != i) return false;
  return true;
}

}  // namespace

// Every row begins with a byte of its own. A few megabytes at a time, so that no second copy of the
// file lies in memory.
void RawDecoder::load_bits() {
  const int width = imgdata.sizes.raw_width, height = imgdata.sizes.raw_height;
  const auto bits = libraw_internal_data.unpacker_data.tiff_bps;
  const std::size_t row = (static_cast<std::size_t>(width) * bits + 7) / 8;
  const auto* curve = is_straight(imgdata.color.curve) ? nullptr : imgdata.color.curve;
  const int rows = std::clamp(static_cast<int>((std::size_t{8} << 20) / row), 1, height);
  std::vector<std::uint8_t> bytes(row * static_cast<std::size_t>(rows) + 8);
  for (int top = 0; top < height; top += rows) {
    const int count = std::min(rows, height - top);
    const auto wanted = row * static_cast<std::size_t>(count);
    const int got = libraw_internal_data.internal_data.input->read(bytes.data(), 1, wanted);
    if (got < 0 || static_cast<std::size_t>(got) != wanted) damaged_ = true;
    parallel_rows(count, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        unpack_row(bytes.data() + row * static_cast<std::size_t>(y), bits, width, curve,
                   imgdata.rawdata.raw_image + static_cast<std::size_t>(top + y) * width);
    });
    if (damaged_) return;
  }
}

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
  if (!turned && is_straight(curve)) return;
  parallel_rows(height, [&](int y0, int y1) {
    auto* end = numbers + static_cast<std::size_t>(y1) * width;
    for (auto* n = numbers + static_cast<std::size_t>(y0) * width; n < end; ++n)
      *n = curve[turned ? static_cast<std::uint16_t>(*n << 8 | *n >> 8) : *n];
  });
}

}  // namespace tsukimi
