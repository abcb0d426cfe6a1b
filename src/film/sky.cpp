// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/sky.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "base/parallel.h"
#include "document/pace/kept_frames.h"
#include "sky/find_stars.h"

namespace tsukimi {
namespace {

constexpr double kFullFrame = 36;  // mm: what a sensor's width is where nobody knows

// Camera, lens and what was set on it: with another one stars lie elsewhere.
using Camera = std::tuple<std::string, std::string, double, int, int>;
Camera camera_of(const FrameInfo& f) {
  return {f.camera, f.lens, f.focal_length, f.size.width, f.size.height};
}

// What the middle of the exposure is; merged shots are one long one.
double middle_of(const FrameInfo& f) {
  double end = f.time + f.shutter;
  if (f.is_merged())
    for (const FrameInfo& other : f.others) end = std::max(end, other.time + other.shutter);
  return (f.time + end) / 2;
}

Plane light_of(const Proxy& proxy) {
  Plane out(proxy.width, proxy.height);
  const StoredLight stored = proxy.stored();
  const std::size_t all = out.data.size();
  parallel_rows(proxy.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < proxy.width; ++x) {
        const std::size_t i = static_cast<std::size_t>(y) * proxy.width + x;
        auto of = [&](std::size_t c) { return stored.light(proxy.data[c * all + i]); };
        out.data[i] = 0.25f * (of(0) + 2 * of(1) + of(2));
      }
  });
  return out;
}

}  // namespace

bool needs_sky(const Decisions& d) {
  const bool trails =
      d.trails.kind != TrailKind::none && (d.trails.close_gaps || d.trails.keep_out);
  const bool follows = std::ranges::any_of(
      d.places, [](const LocalPlace& p) { return p.on && p.follow == Follow::stars; });
  return trails || follows || d.framing.steady.how == Steadying::stars;
}

std::vector<std::string> sky_notes(const Shoot& shoot) {
  if (!shoot.sky) return {};
  SkyFit fit = *shoot.sky;
  fit.frames.clear();
  for (int k = 0; k < shoot.frame_count(); ++k) {
    const auto id = static_cast<std::size_t>(shoot.sequence.id_of(k));
    SkyFrame frame = id < shoot.sky->frames.size() ? shoot.sky->frames[id] : SkyFrame{};
    if (is_set_aside(shoot, k)) frame.by_stars = frame.valid = true;
    fit.frames.push_back(frame);
  }
  return notes_of(fit);
}

SkyFit measure_sky(const Shoot& shoot, ProxyStore& store, const Work& work) {
  const auto& frames = shoot.sequence.frames;
  std::map<Camera, int> cameras;
  for (const FrameInfo& f : frames)
    if (f.usable()) ++cameras[camera_of(f)];
  const auto most = std::ranges::max_element(cameras, {}, [](const auto& of) { return of.second; });
  std::vector<StarFrame> seen(frames.size());
  std::atomic<int> wide = 0;  // pixels of a proxy
  std::atomic<int> done = 0;
  const int count = static_cast<int>(frames.size());
  parallel_ranges(count, 1, [&](int first, int last) {
    for (int k = first; k < last && !work.stop(); ++k) {
      const FrameInfo& info = frames[static_cast<std::size_t>(k)];
      StarFrame& frame = seen[static_cast<std::size_t>(k)];
      frame.time = middle_of(info);
      frame.same_camera = info.usable() && camera_of(info) == most->first;
      if (frame.same_camera)
        if (const auto proxy = store.get(info)) {
          const Proxy& p = **proxy;
          wide = p.width;
          frame.stars = find_stars(light_of(p));
          // A proxy may reach a little beyond the frame.
          const Rect covered = part_of_proxy(p, {});
          for (SeenStar& s : frame.stars)
            s.at = {(s.at.x - covered.x) / covered.w, (s.at.y - covered.y) / covered.h};
        }
      work.report(++done, count);
    }
  });
  if (work.stop()) return {};
  // Where clocks tell nothing the frames are as far apart as the sequence says.
  const bool timed = std::ranges::all_of(frames, [](const FrameInfo& f) { return f.time > 0; });
  if (!timed)
    for (std::size_t k = 0; k < seen.size(); ++k)
      seen[k].time = static_cast<double>(k) * std::max(shoot.sequence.interval, 1.0);
  double focal = 0;
  if (most != cameras.end())
    focal = std::get<2>(most->first) / (kFullFrame * std::min(1.0, aspect_of(shoot)));
  return fit_sky(seen, aspect_of(shoot), focal, 1.0 / std::max<int>(wide, 100));
}

}  // namespace tsukimi
