// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/dust_stack.h"

#include <algorithm>
#include <numeric>

#include "image/relative_light.h"

namespace tsukimi {
namespace {

constexpr int kMostFrames = 120, kRuns = 8;

// Which frames: all, or runs of them.
std::vector<int> chosen(int count) {
  std::vector<int> out;
  if (count <= kMostFrames) {
    out.resize(static_cast<std::size_t>(count));
    std::iota(out.begin(), out.end(), 0);
    return out;
  }
  constexpr int kLong = kMostFrames / kRuns;
  for (int run = 0; run < kRuns; ++run) {
    const int first =
        static_cast<int>(static_cast<std::int64_t>(run) * (count - kLong) / (kRuns - 1));
    for (int k = 0; k < kLong; ++k) out.push_back(first + k);
  }
  return out;
}

void add_frame(DustStack& stack, const Proxy& proxy, double aperture, int number) {
  const Image rgb = dust_copy(proxy);
  if (stack.width == 0) {
    stack.width = rgb.width, stack.height = rgb.height;
    stack.covered = part_of_proxy(proxy, {}).w;
  }
  if (rgb.width != stack.width || rgb.height != stack.height) return;
  const RelativeLight light = relative_light(rgb, 3 * largest_dust(rgb.width));
  const Plane smooth = smoothed(light.stops), known = all_known(light.known);
  Relative kept(smooth.data.size());
  for (std::size_t i = 0; i < kept.size(); ++i)
    kept[i] = known.data[i] > 0 ? Layered::stored(smooth.data[i]) : Layered::kNotKnown;
  stack.frames.push_back(std::move(kept));
  stack.apertures.push_back(aperture);
  stack.numbers.push_back(number);
}

// The middle of what is known at a pixel, in stops; 0 where hardly anything is.
float median_at(const std::vector<Relative>& frames, const std::vector<int>& which, std::size_t i,
                std::vector<std::int16_t>& scratch) {
  scratch.clear();
  for (int k : which)
    if (const auto v = frames[static_cast<std::size_t>(k)][i]; v != Layered::kNotKnown)
      scratch.push_back(v);
  if (scratch.size() < Layered::kFewest / 2) return 0;
  const auto middle = scratch.begin() + static_cast<std::ptrdiff_t>(scratch.size() / 2);
  std::nth_element(scratch.begin(), middle, scratch.end());
  return *middle / Layered::kUnit;
}

}  // namespace

int largest_dust(int width) { return std::max(4, width / 90); }

std::int16_t Layered::stored(float stops) {
  return static_cast<std::int16_t>(std::clamp(stops * kUnit, -30000.0f, 30000.0f));
}

std::vector<int> Layered::all() const {
  std::vector<int> out(frames.size());
  std::iota(out.begin(), out.end(), 0);
  return out;
}

Plane Layered::medians(const std::vector<int>& which) const {
  return medians(which, 0, 0, width, height);
}

Plane Layered::medians(const std::vector<int>& which, int x0, int y0, int w, int h) const {
  Plane out(w, h);
  parallel_rows(h, [&](int first, int last) {
    std::vector<std::int16_t> scratch;
    for (int y = first; y < last; ++y)
      for (int x = 0; x < w; ++x)
        out.at(x, y) = median_at(frames, which, index(x0 + x, y0 + y), scratch);
  });
  return out;
}

DustStack::Stops DustStack::stops_of(int k) const {
  Stops out{{width, height}, {width, height}};
  const Relative& from = frames[static_cast<std::size_t>(k)];
  for (std::size_t i = 0; i < from.size(); ++i) {
    const bool known = from[i] != kNotKnown;
    out.known.data[i] = known ? 1.0f : 0.0f;
    out.stops.data[i] = known ? from[i] / kUnit : 0.0f;
  }
  return out;
}

SlopedFrame DustStack::sloped(int k) const {
  Stops frame = stops_of(k);
  return with_slopes(std::move(frame.stops), std::move(frame.known));
}

Image dust_copy(const Proxy& proxy) {
  constexpr int kWidest = 1000;
  return halved(unpack(proxy), kWidest);
}

DustStack read_dust_stack(const std::vector<DustFrame>& frames, const Work& work) {
  DustStack out;
  const auto which = chosen(static_cast<int>(frames.size()));
  for (std::size_t k = 0; k < which.size() && !work.stop(); ++k) {
    const DustFrame& frame = frames[static_cast<std::size_t>(which[k])];
    const auto proxy = frame.proxy();
    work.report(static_cast<int>(k + 1), static_cast<int>(which.size()));
    if (proxy) add_frame(out, **proxy, frame.aperture, which[k]);
  }
  return out;
}

}  // namespace tsukimi
