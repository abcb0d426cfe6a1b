// SPDX-License-Identifier: GPL-3.0-or-later
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "base/text.h"

namespace tsukimi {

Result<void> check_document(const std::filesystem::path& path, const std::string& format) {
  std::error_code ec;
  const auto status = std::filesystem::status(path, ec);
  if (!std::filesystem::exists(status)) return {};
  const auto foreign = [&] {
    return fail(printable(path.string()) + " is there already and is no " + format +
                    "; it was not touched.",
                ErrorCode::exists);
  };
  constexpr std::uintmax_t kMost = 512u << 20;
  const auto bytes = read_file(path, kMost);
  if (!bytes && bytes.error().code == ErrorCode::unavailable) return tl::unexpected(bytes.error());
  if (!bytes) return foreign();
  if (bytes->empty()) return {};
  const auto j = nlohmann::json::parse(bytes->begin(), bytes->end(), nullptr, false);
  const bool ours = j.is_object() && j.contains("format") && j["format"] == format;
  if (!ours) return foreign();
  return {};
}

Result<void> write_document(const std::filesystem::path& path, std::string_view text,
                            const std::string& format) {
  if (auto ok = check_document(path, format); !ok) return ok;
  const auto target = link_target(path);
  remove_leftovers(target.parent_path());
  return write_file(target, text, IfExists::replace);
}

}  // namespace tsukimi
