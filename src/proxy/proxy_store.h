// SPDX-License-Identifier: GPL-3.0-or-later
// Proxies of a sequence: made once, kept in the cache folder, a few in memory.
#pragma once

#include <list>
#include <memory>
#include <mutex>
#include <unordered_map>

#include "camera/frame_info.h"
#include "proxy/proxy.h"

namespace tsukimi {

// Safe to use from many threads at once.
class ProxyStore {
 public:
  explicit ProxyStore(std::filesystem::path folder, std::size_t memory_limit = 400u << 20);

  // Bytes of the pictures that are kept in memory.
  std::size_t memory_used() const;

  // From memory, the cache, or the frame itself (and then stored). Fails like read_frame.
  Result<std::shared_ptr<const Proxy>> get(const FrameInfo& frame);
  // What is in memory; nullptr: not there. Never waits for a disk.
  std::shared_ptr<const Proxy> in_memory(const FrameInfo& frame) const;
  // Only what measuring needs; makes the proxy if it is not there yet.
  Result<ProxyHead> head(const FrameInfo& frame, bool with_thumbnail = true);

 private:
  std::string key_of(const FrameInfo& frame) const;
  Result<Proxy> make(const FrameInfo& frame, const std::filesystem::path& file);
  void remember(const std::string& key, std::shared_ptr<const Proxy> proxy);

  std::filesystem::path folder_;
  std::size_t memory_limit_, memory_used_ = 0;
  mutable std::mutex mutex_;
  std::list<std::string> recent_;  // front: used last
  struct Entry {
    std::shared_ptr<const Proxy> proxy;
    std::list<std::string>::iterator place;
  };
  std::unordered_map<std::string, Entry> memory_;
};

}  // namespace tsukimi
