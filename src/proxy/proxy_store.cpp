// SPDX-License-Identifier: GPL-3.0-or-later
#include "proxy/proxy_store.h"

#include <algorithm>

#include "base/cache.h"
#include "camera/moment.h"

namespace tsukimi {
namespace fs = std::filesystem;

ProxyStore::ProxyStore(fs::path folder, std::size_t memory_limit)
    : folder_(std::move(folder)), memory_limit_(memory_limit) {}

std::string ProxyStore::key_of(const FrameInfo& frame) const {
  std::string id;
  const auto add = [&](const FrameInfo& f) {
    id += (id.empty() ? "" : "\n+") + (folder_ / f.file).string() + '\n' + std::to_string(f.bytes) +
          '\n' + std::to_string(f.modified) + '\n' + std::to_string(f.changed);
  };
  add(frame);
  if (frame.is_merged())
    for (const FrameInfo& other : frame.others) {
      add(other);
      if (other.dx != 0 || other.dy != 0)
        id += " " + std::to_string(other.dx) + " " + std::to_string(other.dy);
    }
  if (frame.as_if != 0) id += "\n" + std::to_string(frame.as_if);
  return cache_name(id) + ".proxy";
}

std::shared_ptr<const Proxy> ProxyStore::in_memory(const FrameInfo& frame) const {
  const std::string key = key_of(frame);
  const std::lock_guard lock(mutex_);
  const auto it = memory_.find(key);
  return it == memory_.end() ? nullptr : it->second.proxy;
}

void ProxyStore::remember(const std::string& key, std::shared_ptr<const Proxy> proxy) {
  const std::lock_guard lock(mutex_);
  if (memory_.count(key)) return;
  memory_used_ += proxy->data.size() * 2;
  recent_.push_front(key);
  memory_[key] = {std::move(proxy), recent_.begin()};
  while (memory_used_ > memory_limit_ && recent_.size() > 1) {
    const auto it = memory_.find(recent_.back());
    memory_used_ -= it->second.proxy->data.size() * 2;
    memory_.erase(it);
    recent_.pop_back();
  }
}

// From the frame's file, which must be the same before and after. It is kept under a name that says
// which file it was.
Result<Proxy> ProxyStore::make(const FrameInfo& frame, const fs::path& file) {
  if (auto ok = check_same_file(folder_, frame); !ok) return tl::unexpected(ok.error());
  MergeInfo measured;
  auto sensor = read_moment(folder_, frame, Wanted::proxy, {}, &measured);
  if (!sensor) return tl::unexpected(sensor.error());
  if (auto ok = check_same_file(folder_, frame); !ok) return tl::unexpected(ok.error());
  Proxy proxy = make_proxy(*sensor);
  proxy.grid.merged = std::move(measured);
  if (check_unchanged(folder_, frame))
    (void)save_proxy(proxy, file);  // a full cache disk must not stop the work
  return proxy;
}

Result<std::shared_ptr<const Proxy>> ProxyStore::get(const FrameInfo& frame) {
  const std::string key = key_of(frame);
  {
    const std::lock_guard lock(mutex_);
    if (const auto it = memory_.find(key); it != memory_.end()) {
      recent_.splice(recent_.begin(), recent_, it->second.place);
      return it->second.proxy;
    }
  }
  const fs::path file = cache_path("proxies", key);
  auto stored = load_proxy(file);
  if (!stored) stored = make(frame, file);
  if (!stored) return tl::unexpected(stored.error());
  auto proxy = std::make_shared<const Proxy>(std::move(*stored));
  remember(key, proxy);
  return proxy;
}

Result<ProxyHead> ProxyStore::head(const FrameInfo& frame, bool with_thumbnail) {
  const fs::path file = cache_path("proxies", key_of(frame));
  if (auto stored = load_proxy_head(file, with_thumbnail)) {
    std::error_code ec;
    fs::last_write_time(file, fs::file_time_type::clock::now(), ec);  // used now, for trim()
    return stored;
  }
  auto proxy = make(frame, file);
  if (!proxy) return tl::unexpected(proxy.error());
  return ProxyHead{proxy->colour, proxy->full, std::move(proxy->grid), std::move(proxy->detail),
                   make_thumbnail(*proxy)};
}

std::size_t ProxyStore::memory_used() const {
  const std::lock_guard lock(mutex_);
  return memory_used_;
}

}  // namespace tsukimi
