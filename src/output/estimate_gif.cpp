// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/estimate_gif.h"

#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>

#include "document/framing/output_size.h"
#include "output/join_gif.h"

namespace tsukimi {
namespace {

// The size of a GIF of these pictures.
Result<double> size_of(const FilmSettings& how, const FilmFacts& facts,
                       const std::vector<Image>& pictures) {
  auto encoder = SegmentEncoder::open(how, facts.rate, facts.size);
  if (!encoder) return tl::unexpected(encoder.error());
  for (const Image& picture : pictures)
    if (auto ok = encoder->add(gif_planes(picture), {}); !ok) return tl::unexpected(ok.error());
  const auto segment = encoder->finish();
  if (!segment) return tl::unexpected(segment.error());
  const int fd = memfd_create("tsukimi-gif", MFD_CLOEXEC);
  if (fd < 0) return fail("There is not enough memory for a GIF.");
  const auto joined =
      join_gif("/proc/self/fd/" + std::to_string(fd), facts, {1, [&](int) { return *segment; }});
  const auto bytes = static_cast<double>(lseek(fd, 0, SEEK_END));
  close(fd);
  if (!joined) return tl::unexpected(joined.error());
  return bytes;
}

}  // namespace

Result<double> estimate_gif(const Shoot& shoot, const LightPlan& light, const FilmSettings& how,
                            ProxyStore& store) {
  const auto film = film_frames(shoot);
  const int count = static_cast<int>(film.size());
  constexpr int kRun = 4;
  const Courses courses = courses_of(shoot);
  FilmFacts facts;
  facts.size = film_size(shoot, how);
  facts.rate = rate_of(how.fps > 0 ? how.fps : shoot.decisions.fps);
  const View view = export_view(facts.size);
  double bytes = 0;
  int made = 0;
  for (int begin : {count / 4, 3 * count / 4}) {
    std::vector<Image> pictures;
    for (int k = begin; k < std::min(begin + kRun, count); ++k) {
      auto picture = develop_film_proxy(
          store, film_recipe(shoot, courses, light, film[static_cast<std::size_t>(k)], view));
      if (picture) pictures.push_back(std::move(*picture));
    }
    if (pictures.empty()) continue;
    const auto size = size_of(how, facts, pictures);
    if (!size) return size;
    bytes += *size;
    made += static_cast<int>(pictures.size());
  }
  if (made == 0) return fail("No frame of the film can be read.");
  return bytes / made * count;
}

}  // namespace tsukimi
