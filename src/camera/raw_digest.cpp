// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/raw_digest.h"

extern "C" {
#include <libavutil/md5.h>
#include <libavutil/mem.h>
}

#include <algorithm>
#include <array>
#include <bit>

namespace tsukimi {
namespace {

enum DigestTag { kLinearizationTable = 50712, kRawImageDigest = 50972 };
using Digest = std::array<std::uint8_t, 16>;

std::optional<Digest> digest_in(const TiffTags& tags) {
  for (const auto& d : tags.directories())
    if (const auto n = tags.numbers(d, kRawImageDigest, 17); n.size() == 16) {
      Digest out;
      std::ranges::transform(n, out.begin(), [](double v) { return static_cast<std::uint8_t>(v); });
      return out;
    }
  return {};
}

}  // namespace

bool has_the_numbers_it_says(const TiffTags& tags, const std::uint16_t* numbers, int width,
                             int height, std::size_t stride) {
  static_assert(std::endian::native == std::endian::little);  // as they are hashed
  const auto said = digest_in(tags);
  const auto* d = raw_directory(tags);
  if (!said || *said == Digest{} || !d || d->count(kLinearizationTable)) return true;
  const std::unique_ptr<AVMD5, void (*)(void*)> md5(av_md5_alloc(), av_free);
  if (!md5) return true;
  av_md5_init(md5.get());
  for (int y = 0; y < height; ++y)
    av_md5_update(md5.get(), reinterpret_cast<const std::uint8_t*>(numbers + y * stride),
                  static_cast<std::size_t>(width) * sizeof *numbers);
  Digest is;
  av_md5_final(md5.get(), is.data());
  return is == *said;
}

}  // namespace tsukimi
