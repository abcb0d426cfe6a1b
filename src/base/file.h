// SPDX-License-Identifier: GPL-3.0-or-later
// Whole files in and out. What we write appears under its name complete or not at all.
#pragma once

#include <compare>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

namespace tsukimi {

// A regular file that this user may read now: else a sentence that says which of the two it is not.
// Never waits, also not for the other end of a pipe.
Result<void> check_readable(const std::filesystem::path& path);

// Fails, before any memory is asked for, when the file is larger than `most` bytes.
Result<std::vector<std::uint8_t>> read_file(const std::filesystem::path& path,
                                            std::uintmax_t most = 4ull << 30);

enum class IfExists { keep, replace };

// What tells a file from another one that took its name, also after the folder was moved.
struct FileStamp {
  std::uint64_t bytes = 0, inode = 0;
  std::int64_t modified = 0;  // ns
  std::int64_t born = 0;      // ns; 0: the disk does not know
  // Still the file it was, whatever was done to it. The inode alone does not say so: a disk gives
  // that of a removed file to the next one.
  bool same_birth(const FileStamp& o) const {
    return inode == o.inode && born == o.born && born != 0;
  }
  // The same size, and not written since (moved) or still the same file (renamed, touched).
  bool same_file(const FileStamp& o) const {
    return bytes == o.bytes && (same_birth(o) || modified == o.modified);
  }
  bool operator==(const FileStamp&) const = default;
};
std::optional<FileStamp> stamp_of(const std::filesystem::path& path);  // none: no regular file

// A whole file that has no name yet: written beside its future place, synced and named as steps of
// their own, so that many can be synced at once. What never got its name is removed.
//
//   auto file = StagedFile::write(path, writer);
//   if (file && file->sync() && file->give_name(IfExists::keep)) ...
class StagedFile {
 public:
  // `writer` gets the open temporary file and returns 0 or the errno of what went wrong.
  static Result<StagedFile> write(const std::filesystem::path& path,
                                  const std::function<int(int fd)>& writer);
  StagedFile(StagedFile&& other) noexcept;
  StagedFile& operator=(StagedFile&&) = delete;
  ~StagedFile();

  const std::filesystem::path& path() const { return path_; }
  // Where its bytes can be read before it has its name.
  const std::filesystem::path& temporary() const { return temporary_; }
  Result<void> sync();  // on the disk now
  FileStamp stamp() const;
  Result<void> give_name(IfExists if_exists);

 private:
  StagedFile(std::filesystem::path path, std::filesystem::path temporary, int fd);
  tl::unexpected<Error> failed(int code) const;
  std::filesystem::path path_, temporary_;  // temporary_: empty once it has its name
  int fd_, held_ = -1;  // held_: the same file, for the lock on it, until it has its name
};

// Writes to a temporary name in the same folder, syncs, renames. With IfExists::keep an existing
// file is an error and stays as it is. On any error nothing is left behind and the message says why
// (no permission, disk full, ...). `sync` may be false for what can be made again (caches).
Result<void> write_file(const std::filesystem::path& path, std::span<const std::uint8_t> bytes,
                        IfExists if_exists, bool sync = true);
Result<void> write_file(const std::filesystem::path& path, std::string_view text,
                        IfExists if_exists);
// `writer` gets the open temporary file and returns 0 or the errno of what went wrong.
Result<void> write_file(const std::filesystem::path& path, const std::function<int(int fd)>& writer,
                        IfExists if_exists, bool sync = true);
// For such writers. 0 or an errno.
int write_all(int fd, std::span<const std::uint8_t> bytes);
// A JSON document of ours: replaces only what says that it is of the same `format` (or an empty
// file), and looks into it for that. A link stays one: what it leads to is replaced.
Result<void> write_document(const std::filesystem::path& path, std::string_view text,
                            const std::string& format);
// Whether it would be allowed to; for who works long before it writes.
Result<void> check_document(const std::filesystem::path& path, const std::string& format);

// Where a link leads, also when nothing is there yet; what is no link is as it was.
std::filesystem::path link_target(const std::filesystem::path& path);

// Absolute and without "." and ".." and a slash at its end, as the system finds it: "link/.." is
// the folder above the one that the link leads to. Other links stay as they are.
std::filesystem::path plain_path(const std::filesystem::path& path);

// Which file it is, whatever its names: links lead to the same one. none: nothing is there.
struct FileId {
  std::uint64_t device = 0, inode = 0;
  auto operator<=>(const FileId&) const = default;
};
std::optional<FileId> file_id(const std::filesystem::path& path);

// Sees that the names in a folder are on the disk.
Result<void> sync_folder(const std::filesystem::path& folder);

// Removes what writers that were killed have left in a folder: temporary files of processes that
// are no more.
void remove_leftovers(const std::filesystem::path& folder);

// Whether a path can be a folder: false also when it may not be looked at.
bool is_folder(const std::filesystem::path& path);

}  // namespace tsukimi
