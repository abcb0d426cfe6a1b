// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/originals.h"

#include <sys/stat.h>

#include <algorithm>
#include <cctype>
#include <cstdlib>

#include "base/text.h"
#include "folder/frame_files.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

fs::path real(const fs::path& path) {
  std::error_code ec;
  const fs::path absolute = fs::absolute(path, ec);
  const fs::path out = fs::weakly_canonical(absolute, ec);
  fs::path plain = (ec ? absolute : out).lexically_normal();
  return plain.has_filename() ? plain : plain.parent_path();  // without a slash at the end
}

bool is_dcim(const fs::path& name) {
  std::string s = name.string();
  std::transform(s.begin(), s.end(), s.begin(), [](unsigned char c) { return std::toupper(c); });
  return s == "DCIM";
}

bool is_mount_point(const fs::path& folder) {
  struct stat here {
  }, above{};
  return stat(folder.c_str(), &here) == 0 && stat(folder.parent_path().c_str(), &above) == 0 &&
         here.st_dev != above.st_dev;
}

bool holds_raw_files(const fs::path& folder, const MadeHere& made_here) {
  std::error_code ec;
  for (auto it = fs::directory_iterator(folder, ec); !ec && it != fs::directory_iterator();
       it.increment(ec))
    if (kind_of(it->path()) == FileKind::raw && !(made_here && made_here(it->path()))) return true;
  return false;
}

}  // namespace

fs::path card_of(const fs::path& path) {
  std::error_code ec;
  for (fs::path p = real(path); p.has_relative_path(); p = p.parent_path()) {
    if (is_dcim(p.filename())) {
      // A tree that was copied into one's home makes no card of all that one has.
      const char* home = std::getenv("HOME");
      return home && *home && lies_in(home, p.parent_path()) ? p : p.parent_path();
    }
    if (is_mount_point(p) && fs::is_directory(p / "DCIM", ec)) return p;
  }
  return {};
}

bool lies_in(const fs::path& path, const fs::path& folder) {
  const fs::path a = real(path), b = real(folder);
  return std::mismatch(b.begin(), b.end(), a.begin(), a.end()).first == b.end();
}

Result<void> check_may_write(const fs::path& folder, const fs::path& frames,
                             const MadeHere& made_here) {
  std::error_code ec;
  const fs::path card = frames.empty() ? fs::path() : card_of(frames);
  if (!card_of(folder).empty() || (!card.empty() && lies_in(folder, card)))
    return fail("Choose a folder that is not on the card: nothing is written to " +
                folder.string() + ", cards are only ever read.");
  if ((!frames.empty() && fs::equivalent(folder, frames, ec)) || holds_raw_files(folder, made_here))
    return fail("Choose another folder than that of the raw frames: nothing is written to " +
                folder.string() + ", originals are never written to.");
  return {};
}

Result<void> check_no_picture(const fs::path& file) {
  std::error_code ec;
  if (!fs::exists(fs::symlink_status(file, ec)) || kind_of(link_target(file)) == FileKind::other)
    return {};
  return fail(printable(file.string()) + " is a picture; it was not touched.", ErrorCode::exists);
}

Originals::Originals(fs::path folder) : folder_(std::move(folder)) {}

void Originals::add_file(const fs::path& file) {
  if (const auto id = file_id(file)) files_.insert(*id);
}

void Originals::add_frame(const fs::path& file) {
  add_file(file);
  std::error_code ec;
  if (!fs::is_symlink(file, ec)) return;
  if (const auto id = file_id(real(file).parent_path())) folders_.insert(*id);
}

Result<void> Originals::check_folder(const fs::path& folder, const MadeHere& made_here) const {
  if (auto ok = check_may_write(folder, folder_, made_here); !ok) return ok;
  const auto id = file_id(folder);
  if (id && folders_.contains(*id))
    return fail("Choose another folder: originals of this shoot lie in " +
                printable(folder.string()) + ", nothing is written to it.");
  return {};
}

Result<void> Originals::check_file(const fs::path& file) const {
  const auto id = file_id(file);
  if (!id || !files_.contains(*id)) return {};
  return fail(printable(file.string()) +
              " is one of the files that this is made from; nothing was written. Choose another "
              "name.");
}

}  // namespace tsukimi
