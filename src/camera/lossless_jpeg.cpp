// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/lossless_jpeg.h"

#include <array>
#include <bit>
#include <cstring>
#include <vector>

namespace tsukimi {
namespace {

using Bytes = std::span<const std::uint8_t>;

enum Marker { kFrame = 0xC3, kTables = 0xC4, kImage = 0xD8, kScan = 0xDA, kRestart = 0xDD };
constexpr int kMostComponents = 4;

// A code of a difference: how many bits it takes, and how many of the difference follow. Where both
// together are short enough to stand in the table, the difference itself.
class HuffmanTable {
 public:
  struct Entry {
    std::uint8_t bits = 0;   // to take away; 0: the code is longer than the table
    std::uint8_t extra = 0;  // bits of the difference that follow then
    std::int16_t value = 0;  // where none follow
  };
  static constexpr int kBits = 13;

  // counts: codes of each length from 1 to 16; categories in the order of their codes.
  bool set(Bytes counts, Bytes categories) {
    entries_.assign(std::size_t{1} << kBits, {});
    most_.fill(0);
    std::uint32_t code = 0;
    std::size_t next = 0;
    for (int length = 1; length <= 16; ++length) {
      const std::size_t n = counts[static_cast<std::size_t>(length - 1)];
      if (next + n > categories.size() || code + n > 1u << length) return false;
      first_[length] = static_cast<int>(next) - static_cast<int>(code);
      for (std::size_t i = 0; i < n; ++i, ++code, ++next) {
        if (categories[next] > 16) return false;
        if (length <= kBits) fill(code, length, categories[next]);
      }
      most_[length] = code << (16 - length);  // codes of this length lie below it
      code <<= 1;
    }
    categories_.assign(categories.begin(), categories.end());
    return next > 0;
  }
  bool known() const { return !entries_.empty(); }
  const Entry& look_up(std::uint32_t top) const { return entries_[top]; }

  // A code longer than the table, by the next 16 bits; nothing where there is no such code.
  std::optional<Entry> find_long(std::uint32_t next16) const {
    for (int length = kBits + 1; length <= 16; ++length) {
      if (next16 >= most_[length]) continue;
      const int k = first_[length] + static_cast<int>(next16 >> (16 - length));
      if (k < 0 || k >= static_cast<int>(categories_.size())) return {};
      return Entry{static_cast<std::uint8_t>(length), categories_[static_cast<std::size_t>(k)], 0};
    }
    return {};
  }

  static int difference(std::uint32_t bits, int count) {
    const int v = static_cast<int>(bits);
    return count > 0 && v < 1 << (count - 1) ? v - (1 << count) + 1 : v;
  }

 private:
  void fill(std::uint32_t code, int length, int category) {
    const int rest = kBits - length;
    for (std::uint32_t i = 0; i < 1u << rest; ++i) {
      Entry& e = entries_[code << rest | i];
      if (category == 16)
        e = {static_cast<std::uint8_t>(length), 0, -32768};  // no bits follow
      else if (category <= rest)
        e = {static_cast<std::uint8_t>(length + category), 0,
             static_cast<std::int16_t>(difference(i >> (rest - category), category))};
      else
        e = {static_cast<std::uint8_t>(length), static_cast<std::uint8_t>(category), 0};
    }
  }

  std::vector<Entry> entries_;  // by the next kBits bits
  std::vector<std::uint8_t> categories_;
  std::array<std::uint32_t, 17> most_{};
  std::array<int, 17> first_{};
};

// The bits of a scan. A byte of zero after 255 is not of them; a marker ends them.
class ScanBits {
 public:
  explicit ScanBits(Bytes bytes) : at_(bytes.data()), end_(bytes.data() + bytes.size()) {}

  // At least 32 are there afterwards: noughts behind the end, which are counted.
  void fill() {
    if (count_ >= 32) return;
    std::uint32_t word;
    if (end_ - at_ >= 4) {
      std::memcpy(&word, at_, 4);
      // Whether one of the four bytes is 255.
      const std::uint32_t inverse = ~word;
      if (((inverse - 0x01010101u) & word & 0x80808080u) == 0) {
        if constexpr (std::endian::native == std::endian::little) word = __builtin_bswap32(word);
        hold_ |= std::uint64_t{word} << (32 - count_);
        count_ += 32;
        at_ += 4;
        return;
      }
    }
    while (count_ <= 32) {
      std::uint64_t byte = 0;
      if (at_ < end_ && *at_ != 0xFF)
        byte = *at_++;
      else if (end_ - at_ >= 2 && at_[1] == 0)
        byte = 0xFF, at_ += 2;
      else
        beyond_ += 8;
      hold_ |= byte << (56 - count_);
      count_ += 8;
    }
  }
  std::uint32_t peek(int n) const { return static_cast<std::uint32_t>(hold_ >> (64 - n)); }
  void take(int n) {
    hold_ <<= n;
    count_ -= n;
  }
  bool ended_early() const { return beyond_ > count_; }  // more was taken than there was

  // Whether all bits but those that fill the last byte are taken, and what follows is a marker, or
  // nothing: so it is behind the last sample of a scan or an interval.
  bool at_marker() const {
    if (ended_early() || count_ - beyond_ >= 8) return false;
    return at_ == end_ || (*at_ == 0xFF && (end_ - at_ < 2 || at_[1] != 0));
  }

  // With at_marker(): more intervals follow.
  bool at_restart() const {
    const std::uint8_t* at = at_;
    while (end_ - at >= 2 && at[0] == 0xFF && at[1] == 0xFF) ++at;
    return end_ - at >= 2 && at[1] >= 0xD0 && at[1] <= 0xD7;
  }

  // Goes on behind the restart marker that stands here, the n-th of the scan.
  bool restart(int n) {
    if (!at_marker()) return false;
    while (end_ - at_ >= 2 && at_[0] == 0xFF && at_[1] == 0xFF) ++at_;  // filling
    if (end_ - at_ < 2 || at_[1] != 0xD0 + n % 8) return false;
    at_ += 2;
    hold_ = 0;
    count_ = beyond_ = 0;
    return true;
  }

 private:
  const std::uint8_t *at_, *end_;
  std::uint64_t hold_ = 0;  // from the top
  int count_ = 0;
  int beyond_ = 0;
};

struct Stream {
  LosslessFrame frame;
  std::array<int, kMostComponents> ids{};
  std::array<HuffmanTable, 4> tables;
  std::array<int, kMostComponents> table_of{};
  int predictor = 0, point = 0;
  int restart = 0;  // samples of a component; 0: never
  Bytes scan;
};

int word(Bytes b, std::size_t at) { return b[at] << 8 | b[at + 1]; }

bool read_tables(Bytes body, Stream& out) {
  while (body.size() >= 17) {
    const int index = body[0];
    std::size_t count = 0;
    for (std::size_t i = 1; i <= 16; ++i) count += body[i];
    if (index > 3 || count > body.size() - 17) return false;
    if (!out.tables[static_cast<std::size_t>(index)].set(body.subspan(1, 16),
                                                         body.subspan(17, count)))
      return false;
    body = body.subspan(17 + count);
  }
  return body.empty();
}

Lossless read_frame_segment(Bytes body, Stream& out) {
  if (body.size() < 6 || out.frame.components > 0) return Lossless::damaged;
  LosslessFrame& f = out.frame;
  f = {word(body, 3), word(body, 1), body[5], body[0]};
  if (f.bits < 2 || f.bits > 16 || f.width < 1 || f.height < 1 || f.components < 1 ||
      body.size() != 6 + 3 * static_cast<std::size_t>(f.components))
    return Lossless::damaged;
  if (f.components > kMostComponents) return Lossless::unknown;
  for (int c = 0; c < f.components; ++c) {
    const std::size_t at = 6 + 3 * static_cast<std::size_t>(c);
    out.ids[static_cast<std::size_t>(c)] = body[at];
    if (body[at + 1] != 0x11) return Lossless::unknown;  // as many samples of each
  }
  return Lossless::whole;
}

Lossless read_scan(Bytes body, Stream& out) {
  const int n = out.frame.components;
  if (n == 0 || body.empty() || body.size() != 4 + 2 * static_cast<std::size_t>(body[0]))
    return Lossless::damaged;
  if (body[0] != n) return body[0] < n ? Lossless::unknown : Lossless::damaged;
  for (int c = 0; c < n; ++c) {
    const std::size_t at = 1 + 2 * static_cast<std::size_t>(c);
    const int table = body[at + 1] >> 4;
    if (body[at] != out.ids[static_cast<std::size_t>(c)] || table > 3 ||
        !out.tables[static_cast<std::size_t>(table)].known())
      return Lossless::damaged;
    out.table_of[static_cast<std::size_t>(c)] = table;
  }
  const std::size_t at = 1 + 2 * static_cast<std::size_t>(n);
  out.predictor = body[at];
  out.point = body[at + 2] & 15;
  // Intervals that end within a line are allowed, but nobody makes them.
  if (out.restart % out.frame.width != 0) return Lossless::unknown;
  const bool possible = out.predictor >= 1 && out.predictor <= 7 && out.point < out.frame.bits;
  return possible ? Lossless::whole : Lossless::damaged;
}

// Frames of other processes: all that T.81 has.
bool is_other_frame(int marker) {
  return marker >= 0xC0 && marker <= 0xCF && marker != kFrame && marker != kTables;
}

// Everything up to the scan's bits. with_tables: else only as far as the frame's header.
Lossless read_stream(Bytes bytes, bool with_tables, Stream& out) {
  if (bytes.size() < 4 || bytes[0] != 0xFF || bytes[1] != kImage) return Lossless::damaged;
  for (std::size_t at = 2; at + 4 <= bytes.size();) {
    if (bytes[at] != 0xFF) return Lossless::damaged;
    const int marker = bytes[at + 1];
    if (marker == 0xFF) {  // filling
      ++at;
      continue;
    }
    const auto length = static_cast<std::size_t>(word(bytes, at + 2));
    if (length < 2 || at + 2 + length > bytes.size()) return Lossless::damaged;
    const Bytes body = bytes.subspan(at + 4, length - 2);
    at += 2 + length;
    if (marker == kTables) {
      if (with_tables && !read_tables(body, out)) return Lossless::damaged;
    } else if (marker == kFrame) {
      if (const auto how = read_frame_segment(body, out); how != Lossless::whole || !with_tables)
        return how;
    } else if (marker == kRestart) {
      if (body.size() != 2) return Lossless::damaged;
      out.restart = word(body, 0);
    } else if (marker == kScan) {
      out.scan = bytes.subspan(at);
      return read_scan(body, out);
    } else if (is_other_frame(marker)) {
      return Lossless::unknown;
    } else if (marker < 0xE0 && marker != 0xDB) {  // an application's words are passed over
      return Lossless::damaged;
    }
  }
  return Lossless::damaged;
}

// T.81, table H.1: from the sample to the left, the one above, and the one left of that.
template <int kPredictor>
int predicted(int left, int above, int corner) {
  switch (kPredictor) {
    case 1:
      return left;
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
    default:
      return (left + above) >> 1;
  }
}

class Scan {
 public:
  explicit Scan(const Stream& s)
      : s_(s), n_(s.frame.components), wide_(s.frame.width * n_), bits_(s.scan) {}

  bool run(const LosslessLine& line) {
    const auto decode = chosen_line();
    std::vector<std::uint16_t> rows[2];
    for (auto& row : rows) row.resize(static_cast<std::size_t>(wide_));
    std::vector<std::uint16_t> shifted(s_.point > 0 ? rows[0].size() : 0);
    const int lines = s_.restart > 0 ? s_.restart / s_.frame.width : s_.frame.height;
    for (int y = 0; y < s_.frame.height; ++y) {
      auto& row = rows[y & 1];
      const bool first = y % lines == 0;
      if (first && y > 0 && !bits_.restart(y / lines - 1)) return false;
      const auto* above = first ? nullptr : rows[(y + 1) & 1].data();
      if (!(this->*decode)(row.data(), above) || bits_.ended_early()) return false;
      if (s_.point == 0) {
        line(row);
      } else {
        for (std::size_t i = 0; i < row.size(); ++i)
          shifted[i] = static_cast<std::uint16_t>(row[i] << s_.point);
        line(shifted);
      }
    }
    return bits_.at_marker() && !bits_.at_restart();
  }

 private:
  using Line = bool (Scan::*)(std::uint16_t*, const std::uint16_t*);
  Line chosen_line() const {
    return n_ == 1 ? line_of<1>() : n_ == 2 ? line_of<2>() : line_of<0>();
  }
  template <int kComponents>
  Line line_of() const {
    constexpr Line kLines[] = {&Scan::line<1, kComponents>, &Scan::line<2, kComponents>,
                               &Scan::line<3, kComponents>, &Scan::line<4, kComponents>,
                               &Scan::line<5, kComponents>, &Scan::line<6, kComponents>,
                               &Scan::line<7, kComponents>};
    return kLines[s_.predictor - 1];
  }

  // The next difference; sets bad_ where there is no such code.
  int next(ScanBits& bits, const HuffmanTable& table) {
    bits.fill();
    HuffmanTable::Entry e = table.look_up(bits.peek(HuffmanTable::kBits));
    if (e.bits == 0) [[unlikely]] {
      const auto found = table.find_long(bits.peek(16));
      if (!found) return bad_ = true, 0;
      e = *found;
      if (e.extra == 16) e = {e.bits, 0, -32768};
    }
    bits.take(e.bits);
    if (e.extra == 0) return e.value;
    const auto more = bits.peek(e.extra);
    bits.take(e.extra);
    return HuffmanTable::difference(more, e.extra);
  }

  // kComponents: 0 for any number of them.
  template <int kPredictor, int kComponents>
  bool line(std::uint16_t* row, const std::uint16_t* above) {
    const int n = kComponents > 0 ? kComponents : n_;
    const HuffmanTable* tables[kMostComponents];
    for (int c = 0; c < n; ++c)
      tables[c] = &s_.tables[static_cast<std::size_t>(s_.table_of[static_cast<std::size_t>(c)])];
    const int range = s_.frame.bits - s_.point;
    std::uint32_t all = 0;  // every bit that some sample has
    ScanBits bits = bits_;  // of its own: it stays in registers
    auto put = [&](int x, int guess, int c) {
      const auto v = static_cast<std::uint16_t>(guess + next(bits, *tables[c]));
      row[x] = v;
      all |= v;
    };
    // The first sample of a line goes by the one above, those of the first line by the one before.
    for (int c = 0; c < n; ++c) put(c, above ? above[c] : 1 << (range - 1), c);
    for (int x = n; x < wide_;)
      for (int c = 0; c < n; ++c, ++x)
        put(x, above ? predicted<kPredictor>(row[x - n], above[x], above[x - n]) : row[x - n], c);
    bits_ = bits;
    return !bad_ && all >> range == 0;
  }

  const Stream& s_;
  const int n_, wide_;
  ScanBits bits_;
  bool bad_ = false;
};

}  // namespace

std::optional<LosslessFrame> lossless_frame(Bytes bytes) {
  Stream stream;
  if (read_stream(bytes, false, stream) != Lossless::whole) return {};
  return stream.frame;
}

Lossless decode_lossless(Bytes bytes, const LosslessLine& line, std::uint64_t most) {
  Stream stream;
  if (const auto how = read_stream(bytes, true, stream); how != Lossless::whole) return how;
  const LosslessFrame& f = stream.frame;
  if (std::uint64_t{1} * f.width * f.components * f.height > most) return Lossless::damaged;
  return Scan(stream).run(line) ? Lossless::whole : Lossless::damaged;
}

}  // namespace tsukimi
