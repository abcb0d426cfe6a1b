#include "film/time_fills.h"

#include <algorithm>

#include "base/text.h"

namespace tsukimi {
namespace {

constexpr std::size_t kMostKept = 64;

// Mean light of each channel round the area.
std::array<double, 3> around(const TimePatch& p, const PatchPlace& place) {
  std::array<double, 3> sum{}, count{};
  for (std::size_t c = 0; c < p.planes.size(); ++c)
    for (int y = 0; y < p.planes[c].height; ++y)
      for (int x = 0; x < p.planes[c].width; ++x) {
        if (!place.is_around(p.x0 + x, p.y0 + y)) continue;
        const auto channel = static_cast<std::size_t>(
            p.planes.size() == 1 ? place.channel(p.x0 + x, p.y0 + y) : static_cast<int>(c));
        sum[channel] += p.planes[c].at(x, y);
        ++count[channel];
      }
  for (std::size_t c = 0; c < 3; ++c) sum[c] = count[c] > 0 ? std::max(sum[c] / count[c], 1e-6) : 1;
  return sum;
}

}  // namespace

Result<std::shared_ptr<const TimePatch>> TimeFills::middle(const std::string& kind,
                                                           const std::vector<FrameInfo>& frames,
                                                           const RepairAt& area, const Read& read) {
  std::string key = kind;
  for (const FrameInfo& f : frames) key += " " + to_json_name(f.file) + std::to_string(f.modified);
  for (const Point& p : area.polygon) key += " " + std::to_string(p.x) + " " + std::to_string(p.y);
  {
    const std::lock_guard lock(mutex_);
    if (const auto at = known_.find(key); at != known_.end()) return at->second;
  }
  std::vector<TimePatch> all;
  for (const FrameInfo& f : frames) {
    auto patch = read(f);
    if (!patch) return tl::unexpected(patch.error());
    if (all.empty() || (patch->planes.size() == all[0].planes.size() &&
                        patch->planes[0].width == all[0].planes[0].width &&
                        patch->planes[0].height == all[0].planes[0].height))
      all.push_back(std::move(*patch));
  }
  auto out = std::make_shared<TimePatch>(all.front());
  for (std::size_t c = 0; c < out->planes.size(); ++c)
    for (std::size_t i = 0; i < out->planes[c].data.size(); ++i) {
      std::array<float, 8> values{};
      std::size_t n = 0;
      for (const TimePatch& p : all)
        if (n < values.size()) values[n++] = p.planes[c].data[i];
      std::sort(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(n));
      out->planes[c].data[i] = 0.5f * (values[(n - 1) / 2] + values[n / 2]);
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
    for (std::size_t c = 0; c < patch.planes.size(); ++c)
      for (int y = 0; y < patch.planes[c].height; ++y)
        for (int x = 0; x < patch.planes[c].width; ++x) {
          const auto channel = static_cast<std::size_t>(
              patch.planes.size() == 1 ? place.channel(patch.x0 + x, patch.y0 + y)
                                       : static_cast<int>(c));
          patch.planes[c].at(x, y) *= static_cast<float>((*first_)[channel] / here[channel]);
        }
    return patch;
  }

 private:
  std::optional<std::array<double, 3>> first_;
};

}  // namespace

Result<std::shared_ptr<const TimePatch>> TimeFills::of_files(const std::vector<FrameInfo>& frames,
                                                             const RepairAt& area) {
  SameLight same;
  return middle("file", frames, area, [&](const FrameInfo& f) -> Result<TimePatch> {
    const auto frame = read_frame(folder_ / f.file);
    if (!frame) return tl::unexpected(frame.error());
    const PatchPlace place(area, *frame);
    return same(patch_of(*frame, place), place);
  });
}

Result<std::shared_ptr<const TimePatch>> TimeFills::of_proxies(ProxyStore& store,
                                                               const std::vector<FrameInfo>& frames,
                                                               const RepairAt& area) {
  SameLight same;
  return middle("proxy", frames, area, [&](const FrameInfo& f) -> Result<TimePatch> {
    const auto proxy = store.get(f);
    if (!proxy) return tl::unexpected(proxy.error());
    const PatchPlace place(area, **proxy);
    return same(patch_of(unpack(**proxy), place), place);
  });
}

}  // namespace tsukimi
