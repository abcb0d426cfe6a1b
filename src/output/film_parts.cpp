// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/film_parts.h"

#include <unistd.h>

#include <cerrno>

#include "base/cache.h"
#include "base/file.h"
#include "base/own_files.h"
#include "base/text.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr std::string_view kMarkName = ".tsukimi-parts-";
constexpr std::string_view kMarkText = "Segments of a film that Tsukimi makes.\n";

// Named by the place, so that segments that were made elsewhere can be put in with their folder's
// mark.
fs::path mark_of(const fs::path& parts) {
  return parts / (std::string(kMarkName) + cache_name(plain_path(parts).string()));
}
bool is_mark(std::string_view name) {
  constexpr std::size_t kDigits = 32;
  return name.starts_with(kMarkName) && is_hexadecimal(name.substr(kMarkName.size()), kDigits);
}
bool is_segment(std::string_view name) {
  constexpr std::string_view kEnd = ".segment";
  constexpr std::size_t kDigits = 32;
  return name.ends_with(kEnd) && is_hexadecimal(name.substr(0, name.size() - kEnd.size()), kDigits);
}
const OwnKind kMark{is_mark, kMarkText}, kSegment{is_segment, "TKSEGM"};

// Locks, and what a killed writer has left (folder_lock.cpp, file.cpp).
bool is_passing(std::string_view name) {
  return name.starts_with(".tsukimi-") && (name.ends_with(".lock") || name.ends_with(".part"));
}

bool is_gone(const fs::path& file) {
  std::error_code ec;
  return !fs::exists(fs::symlink_status(file, ec));
}

}  // namespace

fs::path parts_folder(const fs::path& film) { return film.string() + ".parts"; }

bool is_segment_file(const fs::path& file) { return is_own_file(file, kSegment); }

Result<void> check_parts_folder(const fs::path& parts) {
  std::error_code ec;
  const auto there = fs::symlink_status(parts, ec);
  if (!fs::exists(there)) return {};
  bool ours = fs::is_directory(there);
  if (ours && is_own_file(mark_of(parts), kMark)) return {};
  for (auto it = fs::directory_iterator(parts, ec); ours && !ec && it != fs::directory_iterator();
       it.increment(ec))
    ours = is_passing(it->path().filename().string()) || is_segment_file(it->path()) ||
           is_own_file(it->path(), kMark) || is_gone(it->path());
  // Another part may take all of it away meanwhile.
  if ((ours && !ec) || is_gone(parts)) return {};
  return fail(
      printable(parts.string()) +
          " is there already and is not ours; it was not touched. The segments of a film lie "
          "in a folder of that name: choose another name for the film.",
      ErrorCode::exists);
}

namespace {

Result<void> mark_parts_folder(const fs::path& parts) {
  const std::span text(reinterpret_cast<const std::uint8_t*>(kMarkText.data()), kMarkText.size());
  return write_file(mark_of(parts), text, IfExists::replace, false);
}

// Whether it was made here.
Result<bool> make_parts_folder(const fs::path& parts) {
  if (auto ok = check_parts_folder(parts); !ok) return tl::unexpected(ok.error());
  std::error_code ec;
  fs::create_directories(parts.parent_path(), ec);
  const bool made = fs::create_directory(parts, ec);
  if (ec)
    return fail("The folder " + printable(parts.string()) + " cannot be made: " + ec.message() +
                ".");
  // An empty folder of the user's is used, but stays.
  if (!made) return is_own_file(mark_of(parts), kMark);
  if (auto marked = mark_parts_folder(parts); !marked) {
    (void)rmdir(parts.c_str());
    return tl::unexpected(marked.error());
  }
  return true;
}

}  // namespace

Result<FolderLock> take_parts_folder(const fs::path& parts, const std::string& who, int part) {
  // A part that ends just now may take the folder, or its mark, away before it is held, and may
  // change it while it is looked through.
  constexpr int kTries = 100, kLooks = 5;
  for (int tries = 1;; ++tries) {
    const auto ours = make_parts_folder(parts);
    const bool foreign = !ours && ours.error().code == ErrorCode::exists;
    if (!ours && tries < (foreign ? kLooks : kTries)) continue;
    if (!ours) return tl::unexpected(ours.error());
    auto lock = FolderLock::take(parts, who, part);
    if (!lock && lock.error().code != ErrorCode::exists && tries < kTries) continue;
    if (lock && *ours && is_gone(mark_of(parts)))
      if (auto marked = mark_parts_folder(parts); !marked) return tl::unexpected(marked.error());
    return lock;
  }
}

void remove_segment(const fs::path& file) {
  remove_own_file(file.parent_path(), file.filename().string(), {kSegment});
}
void remove_segments(const fs::path& parts) { remove_own_files(parts, {kSegment}); }

void drop_parts_folder(const fs::path& parts) {
  std::error_code ec;
  if (!is_own_file(mark_of(parts), kMark)) return;
  for (auto it = fs::directory_iterator(parts, ec); !ec && it != fs::directory_iterator();
       it.increment(ec))
    if (!is_own_file(it->path(), kMark)) return;
  remove_own_files(parts, {kMark});
  // Another part may have come meanwhile: it is to know whose the folder is.
  if (rmdir(parts.c_str()) != 0 && errno != ENOENT) (void)mark_parts_folder(parts);
}

}  // namespace tsukimi
