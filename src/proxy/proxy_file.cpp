// SPDX-License-Identifier: GPL-3.0-or-later
// The cache file of a proxy: a fixed header, the light and detail grids, the thumbnail, then the
// picture, each compressed (zstd). Pixels are stored as differences along the row, low and high
// bytes apart: noise fills the low bytes and leaves the high ones almost empty.
#include <zstd.h>

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <memory>
#include <type_traits>

#include "base/cache.h"
#include "base/file.h"
#include "proxy/proxy.h"

namespace tsukimi {
namespace {

constexpr int kMostMerged = 31;

struct Header {
  char magic[8] = {'T', 'K', 'P', 'R', 'O', 'X', 'Y', 'B'};
  char owner[32] = {};  // the name that it was written under: of which frame it is
  std::int32_t width = 0, height = 0, full_width = 0, full_height = 0;
  std::int32_t small_width = 0, small_height = 0, orientation = 1, block = 1;
  std::int32_t of_merged = 0, unused = 0;
  double covered[2] = {1, 1};
  double headroom = 0;
  std::int32_t merged = 0;  // shots besides the frame's own, and the stops of each
  float stops[kMostMerged] = {};
  double colour[9 + 9 + 2 + 3] = {};
  std::uint64_t grid_bytes = 0, small_bytes = 0, picture_bytes = 0;
  std::uint64_t grid_sum = 0, small_sum = 0, picture_sum = 0;  // of the packed bytes
  std::uint64_t sum = 0;                                       // of all that stands before it
};
static_assert(std::is_trivially_copyable_v<Header>);

// Of `0123….proxy` the digits.
std::array<char, sizeof Header::owner> owner_of(const std::filesystem::path& path) {
  std::array<char, sizeof Header::owner> out{};
  const std::string name = path.stem().string();
  std::copy_n(name.begin(), std::min(name.size(), out.size()), out.begin());
  return out;
}

std::uint64_t sum_of(const Header& h) {
  return checksum({reinterpret_cast<const std::uint8_t*>(&h), offsetof(Header, sum)});
}

using Bytes = std::vector<std::uint8_t>;

Bytes compress(const void* data, std::size_t size) {
  Bytes out(ZSTD_compressBound(size));
  out.resize(ZSTD_compress(out.data(), out.size(), data, size, 1));
  return out;
}

void put_colour(const CameraColour& c, double* out) {
  std::copy(c.matrix1.m.begin(), c.matrix1.m.end(), out);
  std::copy(c.matrix2.m.begin(), c.matrix2.m.end(), out + 9);
  out[18] = c.kelvin1;
  out[19] = c.kelvin2;
  std::copy(c.neutral.begin(), c.neutral.end(), out + 20);
}

CameraColour get_colour(const double* in) {
  CameraColour c;
  std::copy(in, in + 9, c.matrix1.m.begin());
  std::copy(in + 9, in + 18, c.matrix2.m.begin());
  c.kelvin1 = in[18];
  c.kelvin2 = in[19];
  std::copy(in + 20, in + 23, c.neutral.begin());
  return c;
}

// Rows of differences, split into low and high bytes.
Bytes filter(const Proxy& p) {
  const std::size_t n = p.data.size();
  Bytes out(2 * n);
  for (std::size_t row = 0; row < n; row += p.width) {
    std::uint16_t before = 0;
    for (std::size_t i = row; i < row + p.width; ++i) {
      const auto d = static_cast<std::uint16_t>(p.data[i] - before);
      const auto zigzag = static_cast<std::uint16_t>((d << 1) ^ (d & 0x8000 ? 0xFFFF : 0));
      out[i] = static_cast<std::uint8_t>(zigzag & 0xFF);
      out[n + i] = static_cast<std::uint8_t>(zigzag >> 8);
      before = p.data[i];
    }
  }
  return out;
}

void unfilter(const Bytes& in, Proxy& p) {
  const std::size_t n = p.data.size();
  for (std::size_t row = 0; row < n; row += p.width) {
    std::uint16_t before = 0;
    for (std::size_t i = row; i < row + p.width; ++i) {
      const auto zigzag = static_cast<std::uint16_t>(in[i] | in[n + i] << 8);
      const auto d = static_cast<std::uint16_t>((zigzag >> 1) ^ (zigzag & 1 ? 0xFFFF : 0));
      p.data[i] = before = static_cast<std::uint16_t>(before + d);
    }
  }
}

Bytes pack(const Proxy& p) {
  const Bytes filtered = filter(p);
  return compress(filtered.data(), filtered.size());
}

struct Closer {
  void operator()(std::FILE* f) const { std::fclose(f); }
};
using File = std::unique_ptr<std::FILE, Closer>;

bool read_exactly(std::FILE* f, void* to, std::size_t size) {
  return std::fread(to, 1, size, f) == size;
}

constexpr std::size_t kLight = LightGrid::kCells * sizeof(float),
                      kDetail = DetailGrid::kCells * sizeof(float),
                      kRedBlue = 2 * LightGrid::kColourCells * sizeof(float),
                      kMoving = MergeInfo::kAcross * MergeInfo::kDown,
                      kGridBytes = kLight + kDetail + kRedBlue + LightGrid::kCells + kMoving;

// Reads the next packed picture of the file into p, whose width and height are known.
bool read_picture(std::FILE* f, std::size_t bytes, std::uint64_t sum, Proxy& p) {
  p.data.resize(static_cast<std::size_t>(p.width) * p.height * 3);
  Bytes packed(bytes), filtered(p.data.size() * 2);
  if (!read_exactly(f, packed.data(), packed.size()) || checksum(packed) != sum ||
      ZSTD_decompress(filtered.data(), filtered.size(), packed.data(), packed.size()) !=
          filtered.size())
    return false;
  unfilter(filtered, p);
  return true;
}

// Everything before the picture.
Result<Header> read_head(std::FILE* f, const std::filesystem::path& path, ProxyHead& head,
                         bool with_thumbnail) {
  Header h;
  const Header expected;
  auto orientation_ok = [](int o) { return o >= 1 && o <= 8; };
  auto size_ok = [](int w, int height, int most) {
    return w >= 1 && height >= 1 && w <= most && height <= most;
  };
  if (!read_exactly(f, &h, sizeof h) || std::memcmp(h.magic, expected.magic, sizeof h.magic) != 0 ||
      h.sum != sum_of(h) || !std::ranges::equal(h.owner, owner_of(path)) ||
      !size_ok(h.width, h.height, 20000) || !size_ok(h.small_width, h.small_height, 1000) ||
      !orientation_ok(h.orientation) || h.block < 1 || !(h.covered[0] > 0 && h.covered[0] <= 1) ||
      !(h.covered[1] > 0 && h.covered[1] <= 1) || h.merged < 0 || h.merged > kMostMerged ||
      !(h.headroom >= 0 && h.headroom <= 32) || h.grid_bytes > 1'000'000 ||
      h.small_bytes > 10'000'000 || h.picture_bytes > 2'000'000'000)
    return fail(path.string() + " is not a proxy.");
  Bytes packed(h.grid_bytes), grid(kGridBytes);
  if (!read_exactly(f, packed.data(), packed.size()) || checksum(packed) != h.grid_sum ||
      ZSTD_decompress(grid.data(), grid.size(), packed.data(), packed.size()) != kGridBytes)
    return fail(path.string() + " is damaged.");
  head.colour = get_colour(h.colour);
  head.full = {h.full_width, h.full_height};
  head.grid.merged.stops.assign(h.stops, h.stops + h.merged);
  if (h.merged > 0) head.grid.merged.moving.assign(grid.end() - kMoving, grid.end());
  head.grid.light.resize(LightGrid::kCells);
  head.detail.sharp.resize(DetailGrid::kCells);
  std::memcpy(head.grid.light.data(), grid.data(), kLight);
  head.grid.red_blue.resize(2 * LightGrid::kColourCells);
  std::memcpy(head.detail.sharp.data(), grid.data() + kLight, kDetail);
  std::memcpy(head.grid.red_blue.data(), grid.data() + kLight + kDetail, kRedBlue);
  head.grid.clipped.assign(grid.begin() + kLight + kDetail + kRedBlue, grid.end() - kMoving);
  Proxy& small = head.thumbnail;
  small.width = h.small_width;
  small.height = h.small_height;
  small.colour = head.colour;
  small.full = head.full;
  small.orientation = h.orientation;
  small.block = 0;
  small.headroom = h.headroom;
  small.of_merged = h.of_merged != 0;
  small.covered_x = h.covered[0];
  small.covered_y = h.covered[1];
  const bool read = with_thumbnail ? read_picture(f, h.small_bytes, h.small_sum, small)
                                   : std::fseek(f, static_cast<long>(h.small_bytes), SEEK_CUR) == 0;
  if (!read) return fail(path.string() + " is damaged.");
  return h;
}

}  // namespace

Result<void> save_proxy(const Proxy& p, const std::filesystem::path& path) {
  Bytes grid(kGridBytes);
  std::memcpy(grid.data(), p.grid.light.data(), kLight);
  std::memcpy(grid.data() + kLight, p.detail.sharp.data(), kDetail);
  std::memcpy(grid.data() + kLight + kDetail, p.grid.red_blue.data(), kRedBlue);
  std::copy(p.grid.clipped.begin(), p.grid.clipped.end(),
            grid.begin() + kLight + kDetail + kRedBlue);
  if (p.grid.merged.moving.size() == kMoving)
    std::ranges::copy(p.grid.merged.moving, grid.end() - kMoving);
  const Proxy small = make_thumbnail(p);
  const Bytes parts[] = {compress(grid.data(), grid.size()), pack(small), pack(p)};
  Header h;
  std::ranges::copy(owner_of(path), h.owner);
  h.width = p.width;
  h.height = p.height;
  h.full_width = p.full.width;
  h.full_height = p.full.height;
  h.small_width = small.width;
  h.small_height = small.height;
  h.orientation = p.orientation;
  h.block = p.block;
  h.headroom = p.headroom;
  h.of_merged = p.of_merged;
  h.merged =
      static_cast<std::int32_t>(std::min<std::size_t>(p.grid.merged.stops.size(), kMostMerged));
  std::copy_n(p.grid.merged.stops.begin(), h.merged, h.stops);
  h.covered[0] = p.covered_x;
  h.covered[1] = p.covered_y;
  put_colour(p.colour, h.colour);
  h.grid_bytes = parts[0].size();
  h.small_bytes = parts[1].size();
  h.picture_bytes = parts[2].size();
  h.grid_sum = checksum(parts[0]);
  h.small_sum = checksum(parts[1]);
  h.picture_sum = checksum(parts[2]);
  h.sum = sum_of(h);
  Bytes file(sizeof h);
  std::memcpy(file.data(), &h, sizeof h);
  for (const Bytes& part : parts) file.insert(file.end(), part.begin(), part.end());
  if (!make_cache_folder(path)) return fail("There is no cache folder.");
  return write_file(path, file, IfExists::replace, false);
}

Result<Proxy> load_proxy(const std::filesystem::path& path) {
  File f(std::fopen(path.c_str(), "rb"));
  if (!f) return fail(path.string() + " cannot be opened.");
  ProxyHead head;
  const auto h = read_head(f.get(), path, head, false);
  if (!h) return tl::unexpected(h.error());
  Proxy p;
  p.width = h->width;
  p.height = h->height;
  if (!read_picture(f.get(), h->picture_bytes, h->picture_sum, p))
    return fail(path.string() + " is damaged.");
  p.colour = head.colour;
  p.full = head.full;
  p.orientation = h->orientation;
  p.block = h->block;
  p.headroom = h->headroom;
  p.of_merged = h->of_merged != 0;
  p.covered_x = h->covered[0];
  p.covered_y = h->covered[1];
  p.grid = std::move(head.grid);
  p.detail = std::move(head.detail);
  return p;
}

Result<ProxyHead> load_proxy_head(const std::filesystem::path& path, bool with_thumbnail) {
  File f(std::fopen(path.c_str(), "rb"));
  if (!f) return fail(path.string() + " cannot be opened.");
  ProxyHead head;
  const auto h = read_head(f.get(), path, head, with_thumbnail);
  if (!h) return tl::unexpected(h.error());
  return head;
}

}  // namespace tsukimi
