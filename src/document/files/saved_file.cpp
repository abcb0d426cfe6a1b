// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/saved_file.h"

#include <algorithm>

#include "base/file.h"
#include "base/text.h"
#include "folder/originals.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;

Result<void> read_saved(const fs::path& file, const SavedKind& kind,
                        const std::function<void(const Fields&)>& read) {
  constexpr std::uintmax_t kMost = 1u << 20;
  const auto bytes = read_file(file, kMost);
  if (!bytes) return tl::unexpected(bytes.error());
  const std::string name = printable(file.string());
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  if (!j.is_object() || !j.contains("format") || j["format"] != kind.format)
    return fail(name + " is not a " + kind.what + ".");
  try {
    const Fields f(j, "");
    if (f.whole("schema", 1, 1 << 30) > kind.schema)
      return fail(name + " was made by a newer Tsukimi and was not read.");
    read(f);
    return {};
  } catch (const FieldError& e) {
    return fail(name + " is damaged and was not read (" + printable(e.what()) + ").");
  }
}

Result<void> write_saved(const fs::path& file, const SavedKind& kind, json fields) {
  fields["format"] = kind.format;
  fields["schema"] = kind.schema;
  if (auto ok = check_no_picture(file); !ok) return ok;
  std::error_code ec;
  fs::create_directories(fs::absolute(file, ec).parent_path(), ec);
  return write_document(file, fields.dump(1, ' ', false, json::error_handler_t::replace) + "\n",
                        kind.format);
}

fs::path free_saved_file(const fs::path& folder, const std::string& name) {
  std::string base;
  for (unsigned char c : name)
    base += c < 128 && std::isalnum(c) ? static_cast<char>(std::tolower(c)) : '_';
  std::error_code ec;
  for (int k = 1;; ++k) {
    const fs::path file =
        folder / (base.substr(0, 60) + (k > 1 ? "_" + std::to_string(k) : "") + ".json");
    if (!fs::exists(fs::symlink_status(file, ec))) return file;
  }
}

std::vector<fs::path> saved_files(const fs::path& folder) {
  std::vector<fs::path> out;
  std::error_code ec;
  if (!folder.empty())
    for (fs::directory_iterator at(folder, ec), end; !ec && at != end; at.increment(ec))
      if (at->path().extension() == ".json") out.push_back(at->path());
  std::ranges::sort(out);
  return out;
}

}  // namespace tsukimi
