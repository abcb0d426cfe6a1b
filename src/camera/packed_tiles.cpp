// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/packed_tiles.h"

#include <algorithm>
#include <atomic>

#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr int kLosslessJpeg = 7;  // of kCompression

double number(const TiffTags& tags, const TiffTags::Directory& d, int tag, double otherwise) {
  const auto n = tags.numbers(d, tag, 1);
  return n.empty() ? otherwise : n[0];
}

std::vector<std::uint64_t> wholes(const std::vector<double>& numbers) {
  std::vector<std::uint64_t> out;
  for (double v : numbers) out.push_back(v > 0 ? static_cast<std::uint64_t>(v) : 0);
  return out;
}

std::optional<PackedTiles> tiles_of(const TiffTags& tags, const TiffTags::Directory& d, int width,
                                    int height) {
  auto is = [&](int tag, double otherwise, double wanted) {
    return number(tags, d, tag, otherwise) == wanted;
  };
  if (!is(kSubfileType, 0, 0) || !is(kCompression, 1, kLosslessJpeg) || !is(kSamples, 1, 1) ||
      !is(kPhotometric, 0, kColourFilters) || !is(kWidth, 0, width) || !is(kHeight, 0, height))
    return {};
  const bool tiled = d.count(kTilePlaces) > 0;
  PackedTiles out{width, height, width, height, {}, {}};
  const double w = tiled ? number(tags, d, kTileWidth, 0) : width,
               h = tiled ? number(tags, d, kTileHeight, 0) : number(tags, d, kStripHeight, height);
  if (!(w >= 1 && w <= 65535 && h >= 1)) return {};
  out.tile_width = static_cast<int>(w);
  out.tile_height = static_cast<int>(std::min(h, 65535.0));
  if (!tiled) out.tile_height = std::min(out.tile_height, height);
  out.places = wholes(tags.numbers(d, tiled ? kTilePlaces : kStripPlaces));
  out.bytes = wholes(tags.numbers(d, tiled ? kTileBytes : kStripBytes));
  const std::size_t across = static_cast<std::size_t>((width - 1) / out.tile_width + 1),
                    down = static_cast<std::size_t>((height - 1) / out.tile_height + 1);
  if (out.places.size() != across * down || out.bytes.size() != out.places.size()) return {};
  return out;
}

// The lines of the stream follow one another in the tile, whatever their length: some converters
// put two lines of a tile into one.
class TileWriter {
 public:
  TileWriter(const PackedTiles& t, std::size_t k, const std::uint16_t* curve,
             std::uint16_t* numbers)
      : t_(t), curve_(curve) {
    const auto across = static_cast<std::size_t>((t.width - 1) / t.tile_width + 1);
    x0_ = static_cast<int>(k % across) * t.tile_width;
    y_ = static_cast<int>(k / across) * t.tile_height;
    end_ = std::min(y_ + t.tile_height, t.height);
    seen_ = std::min(t.tile_width, t.width - x0_);
    row_ = numbers + static_cast<std::ptrdiff_t>(y_) * t.width + x0_;
  }
  void add(std::span<const std::uint16_t> samples) {
    while (!samples.empty() && y_ < end_) {
      const auto n = std::min(samples.size(), static_cast<std::size_t>(t_.tile_width - x_));
      const int last = std::min(x_ + static_cast<int>(n), seen_);
      if (curve_)
        for (int x = x_; x < last; ++x) row_[x] = curve_[samples[static_cast<std::size_t>(x - x_)]];
      else if (last > x_)
        std::copy_n(samples.begin(), last - x_, row_ + x_);
      samples = samples.subspan(n);
      x_ += static_cast<int>(n);
      if (x_ < t_.tile_width) continue;
      x_ = 0;
      ++y_;
      row_ += t_.width;
    }
  }
  bool full() const { return y_ == end_; }

 private:
  const PackedTiles& t_;
  const std::uint16_t* curve_;
  std::uint16_t* row_;
  int x0_ = 0, x_ = 0, y_ = 0, end_ = 0, seen_ = 0;
};

}  // namespace

std::optional<PackedTiles> packed_tiles(const TiffTags& tags, int width, int height) {
  for (const auto& d : tags.directories())
    if (auto found = tiles_of(tags, d, width, height)) return found;
  return {};
}

Lossless unpack(const PackedTiles& tiles, const TiffTags& file, const std::uint16_t* curve,
                std::uint16_t* numbers) {
  bool straight = true;
  for (std::size_t i = 0; i < 65536 && straight; ++i) straight = curve[i] == i;
  if (straight) curve = nullptr;
  // A sample has at most a code and a difference of 16 bits each, and every byte of them may need a
  // second one; room for headers. What is larger holds something else.
  const std::uint64_t area = std::uint64_t{1} * tiles.tile_width * tiles.tile_height,
                      most_bytes = 8 * area + 65536;
  std::atomic<bool> damaged{false}, unknown{false};
  parallel_ranges(static_cast<int>(tiles.places.size()), 1, [&](int first, int last) {
    std::vector<std::uint8_t> stream;
    for (int k = first; k < last && !damaged; ++k) {
      const auto i = static_cast<std::size_t>(k);
      if (tiles.bytes[i] > std::min(most_bytes, file.file_size())) {
        damaged = true;
        return;
      }
      TileWriter writer(tiles, i, curve, numbers);
      stream.resize(tiles.bytes[i]);
      if (!file.read_bytes(tiles.places[i], stream.data(), stream.size())) damaged = true;
      const auto how = decode_lossless(
          stream, [&](auto samples) { writer.add(samples); }, area);
      unknown = unknown || how == Lossless::unknown;
      damaged = damaged || how == Lossless::damaged || (how == Lossless::whole && !writer.full());
    }
  });
  return damaged ? Lossless::damaged : unknown ? Lossless::unknown : Lossless::whole;
}

}  // namespace tsukimi
