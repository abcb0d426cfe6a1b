// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/other_frames.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/text.h"
#include "camera/moment.h"
#include "image/fast_math.h"
#include "image/guided.h"

namespace tsukimi {
namespace {

constexpr std::size_t kMostKept = 64, kMostGuides = 12;

std::string key_of(const FrameInfo& f) {
  return " " + to_json_name(f.file) + " " + std::to_string(f.modified);
}

// Stops of a plane of light, smoothed but at edges: neither noise nor texture is one.
Plane smoothed_stops(const Plane& light) {
  constexpr int kRadius = 4;
  constexpr double kSoft = 0.15, kEdge = 0.5, kFoot = 0.03;  // stops; of the mean light
  double mean = 0;
  for (float v : light.data) mean += std::max(v, 0.0f);
  const auto foot =
      static_cast<float>(kFoot * mean / static_cast<double>(light.data.size()) + 1e-6);
  Plane stops(light.width, light.height);
  for (std::size_t i = 0; i < stops.data.size(); ++i)
    stops.data[i] = fast_log2(std::max(light.data[i], 0.0f) + foot);
  const auto by = guided_filter(stops, stops, kRadius, kSoft, kEdge);
  for (std::size_t i = 0; i < stops.data.size(); ++i)
    stops.data[i] = by.a.data[i] * stops.data[i] + by.b.data[i];
  return stops;
}

// Mean light of each colour round the area.
std::array<double, 3> around(const TimePatch& p, const PatchPlace& place) {
  std::array<double, 3> sum{};
  double count = 0;
  for (int y = 0; y < p.light.height; ++y)
    for (int x = 0; x < p.light.width; ++x) {
      if (!place.is_around(p.x0 + x, p.y0 + y)) continue;
      for (std::size_t c = 0; c < 3; ++c) sum[c] += p.light.planes[c].at(x, y);
      ++count;
    }
  for (double& v : sum) v = count > 0 ? std::max(v / count, 1e-6) : 1;
  return sum;
}

}  // namespace

Result<std::shared_ptr<const TimePatch>> OtherFrames::middle(const std::string& kind,
                                                             const std::vector<TimeFrame>& frames,
                                                             const AreaAt& area, const Read& read) {
  std::string key = kind;
  for (const TimeFrame& f : frames) {
    key += key_of(f.info);
    const Similarity& s = f.lies;
    for (double v : {s.dx, s.dy, s.angle, s.log_scale}) key += " " + std::to_string(v * 1e3);
  }
  for (const Point& p : area.polygon) key += " " + std::to_string(p.x) + " " + std::to_string(p.y);
  {
    const std::lock_guard lock(mutex_);
    if (const auto at = known_.find(key); at != known_.end()) return at->second;
  }
  std::vector<TimePatch> all;
  for (const TimeFrame& f : frames) {
    auto patch = read(f);
    if (!patch) return tl::unexpected(patch.error());
    if (all.empty() || patch->light.size() == all[0].light.size()) all.push_back(std::move(*patch));
  }
  auto out = std::make_shared<TimePatch>(all.front());
  for (std::size_t c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < out->light.planes[c].data.size(); ++i) {
      std::array<float, 8> values{};
      std::size_t n = 0;
      for (const TimePatch& p : all)
        if (n < values.size()) values[n++] = p.light.planes[c].data[i];
      std::sort(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(n));
      out->light.planes[c].data[i] = 0.5f * (values[(n - 1) / 2] + values[n / 2]);
    }
  const std::lock_guard lock(mutex_);
  if (known_.size() >= kMostKept) known_.clear();
  return known_[key] = std::move(out);
}

namespace {

// Every frame at the light of the first, by what lies round the area.
class SameLight {
 public:
  TimePatch operator()(TimePatch patch, const PatchPlace& place) {
    const auto here = around(patch, place);
    if (!first_) {
      first_ = here;
      return patch;
    }
    for (std::size_t c = 0; c < 3; ++c)
      for (float& v : patch.light.planes[c].data) v *= static_cast<float>((*first_)[c] / here[c]);
    return patch;
  }

 private:
  std::optional<std::array<double, 3>> first_;
};

}  // namespace

Result<std::shared_ptr<const TimePatch>> OtherFrames::of_files(const std::vector<TimeFrame>& frames,
                                                               const AreaAt& area) {
  SameLight same;
  return middle("file", frames, area, [&](const TimeFrame& f) -> Result<TimePatch> {
    const auto frame = read_moment(folder_, f.info, Wanted::light);
    if (!frame) return tl::unexpected(frame.error());
    const RepairGeometry in = geometry_of(*frame);
    const PatchPlace place(area, in);
    return same(patch_of(*frame, place, {in, frames.front().lies, f.lies}), place);
  });
}

Result<std::shared_ptr<const TimePatch>> OtherFrames::of_proxies(
    ProxyStore& store, const std::vector<TimeFrame>& frames, const AreaAt& area) {
  SameLight same;
  return middle("proxy", frames, area, [&](const TimeFrame& f) -> Result<TimePatch> {
    const auto proxy = store.get(f.info);
    if (!proxy) return tl::unexpected(proxy.error());
    const RepairGeometry in = geometry_of(**proxy);
    const PatchPlace place(area, in);
    return same(patch_of(unpack(**proxy), place, {in, frames.front().lies, f.lies}), place);
  });
}

Result<std::shared_ptr<const EdgeGuide>> OtherFrames::edge_guide(ProxyStore* store,
                                                                 const FrameInfo& frame) {
  const std::string key = key_of(frame);
  {
    const std::lock_guard lock(mutex_);
    if (const auto at = guides_.find(key); at != guides_.end()) return at->second;
  }
  std::optional<ProxyStore> own;
  if (!store) store = &own.emplace(folder_);
  const auto proxy = store->get(frame);
  if (!proxy) return tl::unexpected(proxy.error());
  const Image light = unpack(**proxy);
  // The last pixels of a proxy may reach beyond the frame: a guide ends with it.
  const Rect covered = part_of_proxy(**proxy, {});
  const int w = std::max(1, static_cast<int>(std::lround(light.width * covered.w))),
            h = std::max(1, static_cast<int>(std::lround(light.height * covered.h)));
  Image stops(w, h);
  for (std::size_t c = 0; c < 3; ++c) {
    Plane part(w, h);
    for (int y = 0; y < h; ++y) std::copy_n(light.planes[c].row(y), w, part.row(y));
    stops.planes[c] = smoothed_stops(part);
  }
  auto guide = std::make_shared<EdgeGuide>(stops);
  const std::lock_guard lock(mutex_);
  // Whoever came first: coverages are known by their guide.
  if (const auto at = guides_.find(key); at != guides_.end()) return at->second;
  if (guides_.size() >= kMostGuides) guides_.clear();
  return guides_[key] = std::move(guide);
}

}  // namespace tsukimi
