// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/tiff_tags.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>

namespace tsukimi {
namespace {

constexpr std::size_t kMostDirectories = 64, kMostEntries = 4096;

std::size_t bytes_of(int type) {
  constexpr std::size_t kBytes[] = {0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8, 4};
  return type >= 1 && type <= 13 ? kBytes[type] : 0;
}

}  // namespace

bool TiffTags::read_bytes(std::uint64_t place, void* to, std::size_t count) const {
  if (place > size_ || count > size_ - place) return false;
  return pread(*file_, to, count, static_cast<off_t>(place)) == static_cast<ssize_t>(count);
}

std::uint32_t TiffTags::whole(const unsigned char* bytes, int count) const {
  std::uint32_t out = 0;
  for (int i = 0; i < count; ++i) out = out << 8 | bytes[big_ ? i : count - 1 - i];
  return out;
}

std::optional<TiffTags> TiffTags::read(const std::filesystem::path& path) {
  TiffTags out;
  const int fd = open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC);
  if (fd < 0) return {};
  out.file_ = std::shared_ptr<const int>(new int(fd), [](const int* f) {
    close(*f);
    delete f;
  });
  struct stat st {};
  if (fstat(fd, &st) != 0 || !S_ISREG(st.st_mode)) return {};
  out.size_ = static_cast<std::uint64_t>(st.st_size);
  unsigned char head[8];
  if (!out.read_bytes(0, head, sizeof head) || head[0] != head[1] ||
      (head[0] != 'I' && head[0] != 'M'))
    return {};
  out.big_ = head[0] == 'M';
  const std::uint32_t magic = out.whole(head + 2, 2);
  // TIFF's own, and those that cameras write in its place.
  if (magic != 42 && magic != 0x55 && magic != 0x4F52 && magic != 0x5352) return {};
  out.read_directories(out.whole(head + 4, 4), 0);
  if (out.directories_.empty()) return {};
  return out;
}

void TiffTags::read_directories(std::uint64_t place, int depth) {
  std::vector<std::uint64_t> seen;  // a chain may be a circle
  while (place != 0 && directories_.size() < kMostDirectories &&
         std::find(seen.begin(), seen.end(), place) == seen.end()) {
    seen.push_back(place);
    unsigned char count[2];
    if (!read_bytes(place, count, sizeof count)) return;
    const std::size_t n = whole(count, 2);
    std::vector<unsigned char> bytes(n * 12 + 4);
    if (n == 0 || n > kMostEntries || !read_bytes(place + 2, bytes.data(), n * 12)) return;
    Directory directory;
    for (std::size_t i = 0; i < n; ++i) {
      const unsigned char* e = bytes.data() + i * 12;
      Entry entry{static_cast<int>(whole(e + 2, 2)), whole(e + 4, 4), place + 2 + i * 12 + 8};
      if (bytes_of(entry.type) == 0) continue;
      if (bytes_of(entry.type) * std::uint64_t{entry.count} > 4) entry.place = whole(e + 8, 4);
      directory[static_cast<int>(whole(e, 2))] = entry;
    }
    directories_.push_back(directory);
    if (depth < 2)
      for (double sub : numbers(directory, kSubDirectories, 16))
        read_directories(static_cast<std::uint64_t>(sub), depth + 1);
    if (!read_bytes(place + 2 + n * 12, bytes.data(), 4)) return;
    place = whole(bytes.data(), 4);
  }
}

std::vector<double> TiffTags::numbers(const Directory& directory, int tag,
                                      std::uint32_t most) const {
  const auto found = directory.find(tag);
  if (found == directory.end()) return {};
  const Entry& e = found->second;
  const std::size_t each = bytes_of(e.type), n = std::min(e.count, most);
  if (e.place > size_ || each * std::uint64_t{n} > size_ - e.place) return {};
  std::vector<unsigned char> bytes(each * n);
  if (!read_bytes(e.place, bytes.data(), bytes.size())) return {};
  std::vector<double> out;
  out.reserve(n);
  for (std::size_t i = 0; i < n; ++i) {
    const unsigned char* b = bytes.data() + i * each;
    const auto word = [&](int k) { return whole(b + 4 * k, 4); };
    const std::uint32_t low = each >= 4 ? word(0) : 0, high = each == 8 ? word(1) : 0;
    switch (e.type) {
      case 5:
        out.push_back(high ? static_cast<double>(low) / high : 0);
        break;
      case 6:
        out.push_back(static_cast<std::int8_t>(*b));
        break;
      case 8:
        out.push_back(static_cast<std::int16_t>(whole(b, 2)));
        break;
      case 9:
        out.push_back(static_cast<std::int32_t>(low));
        break;
      case 10:
        out.push_back(high ? static_cast<double>(static_cast<std::int32_t>(low)) /
                                 static_cast<std::int32_t>(high)
                           : 0);
        break;
      case 11:
        out.push_back(std::bit_cast<float>(low));
        break;
      case 12:
        out.push_back(std::bit_cast<double>(big_ ? std::uint64_t{low} << 32 | high
                                                 : std::uint64_t{high} << 32 | low));
        break;
      default:
        out.push_back(whole(b, static_cast<int>(each)));
    }
  }
  return out;
}

// How many strips or tiles a picture of that size has; 0: the file does not say.
static double pieces_of(const TiffTags& tags, const TiffTags::Directory& d, bool tiled) {
  auto number = [&](int tag, double otherwise) {
    const auto n = tags.numbers(d, tag, 1);
    return n.empty() ? otherwise : n[0];
  };
  const double width = number(kWidth, 0), height = number(kHeight, 0),
               across = tiled ? number(kTileWidth, 0) : width,
               down =
                   tiled ? number(kTileHeight, 0) : std::min(number(kStripHeight, height), height);
  if (!(width >= 1 && height >= 1 && across >= 1 && down >= 1)) return 0;
  constexpr double kApart = 2;  // of kPlanes: the channels one after the other
  const double planes = number(kPlanes, 1) == kApart ? number(kSamples, 1) : 1;
  return std::ceil(width / across) * std::ceil(height / down) * planes;
}

const TiffTags::Directory* raw_directory(const TiffTags& tags) {
  for (const auto& d : tags.directories()) {
    const auto photometric = tags.numbers(d, kPhotometric, 1),
               subfile = tags.numbers(d, kSubfileType, 1);
    const bool raw =
        !photometric.empty() && (photometric[0] == kColourFilters || photometric[0] == kLinearRaw);
    if (raw && (subfile.empty() || subfile[0] == 0)) return &d;
  }
  return nullptr;
}

bool raw_data_makes_sense(const TiffTags& tags) {
  const auto* d = raw_directory(tags);
  if (!d) return true;
  for (const bool tiled : {false, true}) {
    const int places = tiled ? kTilePlaces : kStripPlaces,
              counts = tiled ? kTileBytes : kStripBytes;
    if (!d->count(places)) continue;
    const auto at = tags.numbers(*d, places), bytes = tags.numbers(*d, counts);
    if (at.empty() || (d->count(counts) && bytes.size() != at.size())) return false;
    if (static_cast<double>(at.size()) < pieces_of(tags, *d, tiled)) return false;
    std::vector<std::pair<double, double>> pieces;
    for (std::size_t i = 0; i < at.size(); ++i)
      pieces.emplace_back(at[i], at[i] + (bytes.empty() ? 1 : bytes[i]));
    std::ranges::sort(pieces);
    for (std::size_t i = 0; i < pieces.size(); ++i) {
      if (pieces[i].second > static_cast<double>(tags.file_size())) return false;
      // Each has bytes of its own: what lies over others would be decoded again and again.
      if (i > 0 && pieces[i].first < pieces[i - 1].second) return false;
    }
  }
  return true;
}

}  // namespace tsukimi
