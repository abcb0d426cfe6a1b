// SPDX-License-Identifier: GPL-3.0-or-later
// What pictures take from other frames than their own, read once, whatever frames ask for it. What
// an area is filled with from time: the middle of the frames before it, and of those after it,
// where it was not there, as they lie on each other. And the pictures of key frames whose edges
// strokes follow.
#pragma once

#include <map>
#include <mutex>

#include "develop/time_patch.h"
#include "places/edge_guide.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

class OtherFrames {
 public:
  explicit OtherFrames(std::filesystem::path folder) : folder_(std::move(folder)) {}
  // Of the frames as they lie in their files, or of their proxies; each is brought to lie as the
  // first does, and to its light by what lies round the area. From any thread.
  Result<std::shared_ptr<const TimePatch>> of_files(const std::vector<TimeFrame>& frames,
                                                    const AreaAt& area);
  Result<std::shared_ptr<const TimePatch>> of_proxies(ProxyStore& store,
                                                      const std::vector<TimeFrame>& frames,
                                                      const AreaAt& area);
  // From the proxy of a key frame. store: where it is, or none.
  Result<std::shared_ptr<const EdgeGuide>> edge_guide(ProxyStore* store, const FrameInfo& frame);

 private:
  using Read = std::function<Result<TimePatch>(const TimeFrame&)>;
  Result<std::shared_ptr<const TimePatch>> middle(const std::string& kind,
                                                  const std::vector<TimeFrame>& frames,
                                                  const AreaAt& area, const Read& read);
  std::filesystem::path folder_;
  std::mutex mutex_;
  std::map<std::string, std::shared_ptr<const TimePatch>> known_;
  std::map<std::string, std::shared_ptr<const EdgeGuide>> guides_;
};

}  // namespace tsukimi
