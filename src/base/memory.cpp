// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/memory.h"

#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <limits>
#include <string>

namespace tsukimi {
namespace {

constexpr std::uint64_t kUnlimited = std::numeric_limits<std::uint64_t>::max();

std::uint64_t first_number(const char* path, std::uint64_t otherwise) {
  std::ifstream in(path);
  std::uint64_t n = 0;
  return in >> n ? n : otherwise;  // "max" is no number
}

std::uint64_t of_machine() {
  std::ifstream in("/proc/meminfo");
  std::uint64_t free = 0;
  for (std::string line; std::getline(in, line);)
    for (const char* key : {"MemAvailable:", "SwapFree:"})
      if (line.starts_with(key)) free += std::stoull(line.substr(std::string(key).size())) * 1024;
  return free > 0 ? free : kUnlimited;
}

std::uint64_t of_process() {
  rlimit limit{};
  if (getrlimit(RLIMIT_AS, &limit) != 0 || limit.rlim_cur == RLIM_INFINITY) return kUnlimited;
  const std::uint64_t pages = first_number("/proc/self/statm", 0);
  const std::uint64_t used = pages * static_cast<std::uint64_t>(sysconf(_SC_PAGESIZE));
  return limit.rlim_cur > used ? limit.rlim_cur - used : 0;
}

std::uint64_t of_group() {
  const std::uint64_t limit = first_number("/sys/fs/cgroup/memory.max", kUnlimited);
  if (limit == kUnlimited) return limit;
  // What is only remembered of files goes when there is need.
  std::uint64_t used = first_number("/sys/fs/cgroup/memory.current", 0);
  std::ifstream in("/sys/fs/cgroup/memory.stat");
  std::string key;
  for (std::uint64_t n = 0; in >> key >> n;)
    if (key == "inactive_file" || key == "active_file") used -= std::min(used, n);
  return limit > used ? limit - used : 0;
}

}  // namespace

std::uint64_t free_memory() { return std::min({of_machine(), of_process(), of_group()}); }

}  // namespace tsukimi
