// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/lossless_jpeg.h"

#include <algorithm>
#include <bit>
#include <memory>

namespace tsukimi::sim {
namespace {

constexpr int kCategories = 17;  // of differences: how many bits they have

struct Code {
  std::uint32_t bits;
  int length;
};

// One table for all components.
std::vector<Code> codes(bool long_ones) {
  std::vector<Code> out;
  std::uint32_t next = 0;
  for (int category = 0, last = 0; category < kCategories; ++category) {
    const int length = long_ones ? std::min(category + 1, category < 14 ? 14 : 16) : 5;
    if (category > 0) next = (next + 1) << (length - last);
    out.push_back({next, length});
    last = length;
  }
  return out;
}

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

// What is expected of a sample; up: from it to the one above, 0 in a first line.
int guess(const std::uint16_t* row, int x, int n, std::size_t up, const LosslessOptions& how) {
  if (x < n) return up ? *(row - up + x) : 1 << (how.bits - 1);
  const int left = row[x - n];
  if (!up) return left;
  const int above = *(row - up + x), corner = *(row - up + x - n);
  switch (how.predictor) {
    case 2:
      return above;
    case 3:
      return corner;
    case 4:
      return left + above - corner;
    case 5:
      return left + ((above - corner) >> 1);
    case 6:
      return above + ((left - corner) >> 1);
    case 7:
      return (left + above) >> 1;
    default:
      return left;
  }
}

}  // namespace

std::vector<std::uint8_t> lossless_jpeg(const std::uint16_t* samples, int width, int height,
                                        std::size_t stride, const LosslessOptions& how) {
  std::vector<std::uint8_t> out{0xFF, 0xD8};
  const auto table = codes(how.long_codes);
  std::vector<int> told{0};
  for (int length = 1; length <= 16; ++length)
    told.push_back(static_cast<int>(std::count_if(
        table.begin(), table.end(), [&](const Code& c) { return c.length == length; })));
  for (int category = 0; category < kCategories; ++category) told.push_back(category);
  marker(out, 0xC4, told);
  const int n = how.components, wide = width / n;
  std::vector<int> frame{how.bits, height >> 8, height & 255, wide >> 8, wide & 255, n}, scan{n};
  for (int c = 0; c < n; ++c) {
    frame.insert(frame.end(), {c, 0x11, 0});
    scan.insert(scan.end(), {c, 0});
  }
  marker(out, 0xC3, frame);
  if (how.restart_lines > 0) {
    const int interval = how.restart_lines * wide;
    marker(out, 0xDD, {interval >> 8, interval & 255});
  }
  scan.insert(scan.end(), {how.predictor, 0, 0});
  marker(out, 0xDA, scan);
  auto bits = std::make_unique<Bits>(out);
  for (int y = 0; y < height; ++y) {
    const std::uint16_t* row = samples + static_cast<std::size_t>(y) * stride;
    const bool first = how.restart_lines > 0 ? y % how.restart_lines == 0 : y == 0;
    if (first && y > 0) {
      bits->finish();
      out.push_back(0xFF);
      out.push_back(static_cast<std::uint8_t>(0xD0 + (y / how.restart_lines - 1) % 8));
      bits = std::make_unique<Bits>(out);
    }
    for (int x = 0; x < width; ++x) {
      const auto difference = static_cast<std::int16_t>(
          row[x] - guess(row, x, n, first ? 0 : stride, how));  // modulo 2^16
      const auto size =
          static_cast<std::uint32_t>(difference < 0 ? -int{difference} : int{difference});
      const auto category = static_cast<int>(std::bit_width(size));
      const Code& code = table[static_cast<std::size_t>(category)];
      bits->put(code.bits, code.length);
      if (category < 16)
        bits->put(static_cast<std::uint32_t>(difference < 0 ? difference - 1 : difference),
                  category);
    }
  }
  bits->finish();
  out.push_back(0xFF);
  out.push_back(0xD9);
  return out;
}

}  // namespace tsukimi::sim
