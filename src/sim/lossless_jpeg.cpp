#include "sim/lossless_jpeg.h"

#include <bit>

namespace tsukimi::sim {
namespace {

// One table for all: 17 categories of differences, five bits each.
constexpr int kCategories = 17, kCodeBits = 5;

class Bits {
 public:
  explicit Bits(std::vector<std::uint8_t>& out) : out_(out) {}
  void put(std::uint32_t value, int count) {
    hold_ = hold_ << count | (value & ((1ull << count) - 1));
    for (held_ += count; held_ >= 8; held_ -= 8)
      byte(static_cast<std::uint8_t>(hold_ >> (held_ - 8)));
  }
  void finish() {
    if (held_ > 0) put(0xFF, 8 - held_);
  }

 private:
  void byte(std::uint8_t b) {
    out_.push_back(b);
    if (b == 0xFF) out_.push_back(0);
  }
  std::vector<std::uint8_t>& out_;
  std::uint64_t hold_ = 0;
  int held_ = 0;
};

void marker(std::vector<std::uint8_t>& out, int code, const std::vector<int>& body) {
  out.push_back(0xFF);
  out.push_back(static_cast<std::uint8_t>(code));
  const int length = static_cast<int>(body.size()) + 2;
  out.push_back(static_cast<std::uint8_t>(length >> 8));
  out.push_back(static_cast<std::uint8_t>(length));
  for (int b : body) out.push_back(static_cast<std::uint8_t>(b));
}

}  // namespace

std::vector<std::uint8_t> lossless_jpeg(const std::uint16_t* samples, int width, int height,
                                        std::size_t stride) {
  std::vector<std::uint8_t> out{0xFF, 0xD8};
  std::vector<int> table{0};
  for (int length = 1; length <= 16; ++length)
    table.push_back(length == kCodeBits ? kCategories : 0);
  for (int category = 0; category < kCategories; ++category) table.push_back(category);
  marker(out, 0xC4, table);
  const int wide = width / 2;
  marker(out, 0xC3,
         {16, height >> 8, height & 255, wide >> 8, wide & 255, 2, 0, 0x11, 0, 1, 0x11, 0});
  marker(out, 0xDA, {2, 0, 0, 1, 0, 1, 0, 0});
  Bits bits(out);
  for (int y = 0; y < height; ++y) {
    const std::uint16_t* row = samples + static_cast<std::size_t>(y) * stride;
    for (int x = 0; x < width; ++x) {
      const int guess = x >= 2 ? row[x - 2] : y > 0 ? *(row - stride + x) : 1 << 15;
      const auto difference = static_cast<std::int16_t>(row[x] - guess);  // modulo 2^16
      const auto size =
          static_cast<std::uint32_t>(difference < 0 ? -int{difference} : int{difference});
      const int category = static_cast<int>(std::bit_width(size));
      bits.put(static_cast<std::uint32_t>(category), kCodeBits);
      if (category < 16)
        bits.put(static_cast<std::uint32_t>(difference < 0 ? difference - 1 : difference),
                 category);
    }
  }
  bits.finish();
  out.push_back(0xFF);
  out.push_back(0xD9);
  return out;
}

}  // namespace tsukimi::sim
