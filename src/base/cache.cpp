// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/cache.h"

#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <cstdio>
#include <cstring>
#include <mutex>

#include "base/file.h"
#include "base/own_files.h"
#include "base/text.h"
#include "base/user_folders.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr char kMagic[8] = {'T', 'K', 'C', 'A', 'C', 'H', 'E', '1'};
constexpr std::size_t kHead = sizeof kMagic + sizeof(std::uint64_t);

constexpr char kMark[] = "CACHEDIR.TAG";
constexpr std::string_view kMarkText =
    "Signature: 8a477f597d28d172789f06886806bc55\n"
    "# The cache of Tsukimi. All of it can be made again.\n";
constexpr const char* kFolders[] = {"proxies", "checks", "trails"};

bool is_mark(std::string_view name) { return name == kMark; }
constexpr std::size_t kMostOfAMark = 64;
const OwnKind kMarkKind{is_mark, kMarkText.substr(0, kMostOfAMark)};

// As cache_name() makes them, behind those of a group or not, and then what is inside.
bool is_cache_name(std::string_view name) {
  constexpr std::size_t kGroup = 16, kName = 32;
  if (name.size() > kGroup && name[kGroup] == '-') name.remove_prefix(kGroup + 1);
  return name.size() > kName && is_hexadecimal(name.substr(0, kName), kName) &&
         (name[kName] == '.' || name[kName] == '-');
}
const std::vector<OwnKind> kKinds{{is_cache_name, "TKCACHE"}, {is_cache_name, "TKPROXY"}};

struct CacheFile {
  fs::path folder;
  OwnFile file;
};

constexpr std::uintmax_t kUsualLimit = 10ull << 30;

// What the user chose.
struct Chosen {
  std::mutex mutex;
  fs::path folder;
  std::uintmax_t limit = kUsualLimit;
};
Chosen& chosen() {
  static Chosen c;
  return c;
}

std::vector<CacheFile> files_in(const fs::path& folder, const std::string& begin) {
  std::vector<CacheFile> out;
  for (auto& file : files_named(folder, is_cache_name))
    if (file.name.starts_with(begin)) out.push_back({folder, std::move(file)});
  return out;
}

void oldest_first(std::vector<CacheFile>& files) {
  std::ranges::sort(files, {}, [](const CacheFile& f) { return f.file.used; });
}

// A folder that may become the cache though it is not marked: nothing but what older builds made.
bool could_be_ours(const fs::path& root) {
  std::error_code ec;
  for (auto it = fs::directory_iterator(root, ec); !ec && it != fs::directory_iterator();
       it.increment(ec)) {
    const bool known = std::ranges::count(kFolders, it->path().filename().string()) > 0;
    if (!known || it->is_symlink(ec) || !it->is_directory(ec)) return false;
  }
  return !ec;
}

// The user's cache folder has a place with our name; one that was chosen has not.
bool is_chosen() {
  const std::lock_guard lock(chosen().mutex);
  return !chosen().folder.empty();
}

bool is_marked(const fs::path& root) { return is_own_file(root / kMark, kMarkKind); }

// True: it is there, and ours.
bool make_cache(const fs::path& root) {
  std::error_code ec;
  fs::create_directories(root.parent_path(), ec);
  if (::mkdir(root.c_str(), 0700) != 0 && !is_marked(root)) {
    if (!fs::is_directory(root, ec) || (is_chosen() && !could_be_ours(root))) return false;
  }
  if (!is_marked(root)) (void)write_file(root / kMark, kMarkText, IfExists::keep);
  return is_marked(root);
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
  chosen().folder = folder.empty() ? fs::path() : plain_path(folder) / "tsukimi";
  chosen().limit = limit > 0 ? limit : kUsualLimit;
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

Result<void> check_cache() {
  const fs::path root = cache_folder();
  std::error_code ec;
  const auto there = fs::symlink_status(root, ec);
  if (root.empty() || !fs::exists(there) || is_marked(root)) return {};
  if (fs::is_directory(root, ec) && (!is_chosen() || could_be_ours(root))) return {};
  return fail(printable(root.string()) +
              " is no cache of Tsukimi and was not touched. Choose another folder for the cache: "
              "without one small copies of frames are made again every time.");
}

bool make_cache_folder(const fs::path& file) {
  if (file.empty()) return false;
  const fs::path folder = file.parent_path(), root = folder.parent_path();
  // A file that is kept elsewhere marks nothing there.
  if (root == cache_folder()) {
    if (!make_cache(root)) return false;
    (void)::mkdir(folder.c_str(), 0700);
  }
  std::error_code ec;
  return fs::is_directory(fs::symlink_status(folder, ec));
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
  constexpr std::uintmax_t kMost = 1u << 30;  // what we keep is a thousand times smaller
  auto all = read_file(path, kMost);
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
  if (root.empty() || !is_marked(root)) return;
  std::vector<CacheFile> files;
  for (const char* folder : kFolders)
    for (auto& f : files_in(root / folder, "")) files.push_back(std::move(f));
  oldest_first(files);
  std::uintmax_t total = 0;
  for (const auto& f : files) total += f.file.bytes;
  for (const auto& f : files) {
    if (total <= limit) break;
    if (remove_own_file(f.folder, f.file.name, kKinds)) total -= f.file.bytes;
  }
  for (const char* folder : kFolders) remove_leftovers(root / folder);
}

void trim_cache_group(const fs::path& folder, const std::string& begin, std::size_t most) {
  if (!is_marked(folder.parent_path())) return;
  auto files = files_in(folder, begin);
  oldest_first(files);
  for (std::size_t i = 0; i + most < files.size(); ++i)
    remove_own_file(folder, files[i].file.name, kKinds);
}

}  // namespace tsukimi
