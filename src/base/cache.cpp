#include "base/cache.h"

#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <mutex>

#include "base/file.h"
#include "base/user_folders.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr char kMagic[8] = {'T', 'K', 'C', 'A', 'C', 'H', 'E', '1'};
constexpr std::size_t kHead = sizeof kMagic + sizeof(std::uint64_t);

struct CacheFile {
  fs::file_time_type used;
  std::uintmax_t bytes;
  fs::path path;
};

// What the user chose.
struct Chosen {
  std::mutex mutex;
  fs::path folder;
  std::uintmax_t limit = 10ull << 30;
};
Chosen& chosen() {
  static Chosen c;
  return c;
}

std::vector<CacheFile> files_in(const fs::path& folder, const std::string& begin) {
  std::vector<CacheFile> out;
  std::error_code ec;
  for (auto it = fs::directory_iterator(folder, ec); !ec && it != fs::directory_iterator();
       it.increment(ec)) {
    std::error_code bad;
    const auto bytes = fs::file_size(it->path(), bad);
    if (bad || !it->path().filename().string().starts_with(begin)) continue;
    out.push_back({fs::last_write_time(it->path(), bad), bytes, it->path()});
  }
  return out;
}

void oldest_first(std::vector<CacheFile>& files) {
  std::sort(files.begin(), files.end(),
            [](const CacheFile& a, const CacheFile& b) { return a.used < b.used; });
}

}  // namespace

fs::path cache_folder() {
  {
    const std::lock_guard lock(chosen().mutex);
    if (!chosen().folder.empty()) return chosen().folder;
  }
  return user_folder("XDG_CACHE_HOME", ".cache");
}

void set_cache(const fs::path& folder, std::uintmax_t limit) {
  const std::lock_guard lock(chosen().mutex);
  chosen().folder = folder.is_absolute() ? folder : fs::path();
  chosen().limit = limit;
}

fs::path cache_path(const std::string& folder, const std::string& name) {
  const fs::path root = cache_folder();
  return root.empty() ? root : root / folder / name;
}

std::string cache_name(const std::string& id) {
  const XXH128_hash_t h = XXH3_128bits(id.data(), id.size());
  char name[40];
  std::snprintf(name, sizeof name, "%016llx%016llx", static_cast<unsigned long long>(h.high64),
                static_cast<unsigned long long>(h.low64));
  return name;
}

std::uint64_t checksum(std::span<const std::uint8_t> bytes) {
  return XXH3_64bits(bytes.data(), bytes.size());
}

bool make_cache_folder(const fs::path& file) {
  if (file.empty()) return false;
  std::error_code ec;
  fs::create_directories(file.parent_path().parent_path().parent_path(), ec);
  for (const fs::path& folder : {file.parent_path().parent_path(), file.parent_path()})
    (void)::mkdir(folder.c_str(), 0700);
  return fs::is_directory(file.parent_path(), ec);
}

Result<void> save_cached(const fs::path& path, std::span<const std::uint8_t> bytes) {
  if (!make_cache_folder(path)) return fail("There is no cache folder.");
  std::vector<std::uint8_t> all(kHead + bytes.size());
  const std::uint64_t sum = checksum(bytes);
  std::memcpy(all.data(), kMagic, sizeof kMagic);
  std::memcpy(all.data() + sizeof kMagic, &sum, sizeof sum);
  std::copy(bytes.begin(), bytes.end(), all.begin() + kHead);
  return write_file(path, all, IfExists::replace, false);
}

Result<std::vector<std::uint8_t>> load_cached(const fs::path& path) {
  if (path.empty()) return fail("There is no cache folder.");
  auto all = read_file(path, 1u << 30);
  if (!all) return all;
  std::uint64_t sum = 0;
  if (all->size() >= kHead) std::memcpy(&sum, all->data() + sizeof kMagic, sizeof sum);
  if (all->size() < kHead || std::memcmp(all->data(), kMagic, sizeof kMagic) != 0 ||
      checksum(std::span(*all).subspan(kHead)) != sum)
    return fail(path.string() + " is damaged.");
  all->erase(all->begin(), all->begin() + kHead);
  return all;
}

void trim_cache(std::uintmax_t limit) {
  if (limit == 0) {
    const std::lock_guard lock(chosen().mutex);
    limit = chosen().limit;
  }
  const fs::path root = cache_folder();
  if (root.empty()) return;
  std::vector<CacheFile> files;
  for (const char* folder : {"proxies", "checks"})
    for (auto& f : files_in(root / folder, "")) files.push_back(std::move(f));
  oldest_first(files);
  std::uintmax_t total = 0;
  for (const auto& f : files) total += f.bytes;
  for (const auto& f : files) {
    if (total <= limit) break;
    std::error_code bad;
    if (fs::remove(f.path, bad)) total -= f.bytes;
  }
}

void trim_cache_group(const fs::path& folder, const std::string& begin, std::size_t most) {
  auto files = files_in(folder, begin);
  oldest_first(files);
  std::error_code bad;
  for (std::size_t i = 0; i + most < files.size(); ++i) fs::remove(files[i].path, bad);
}

}  // namespace tsukimi
