#include "document/saved_look.h"

#include <algorithm>
#include <cmath>

#include "base/file.h"
#include "base/text.h"
#include "base/user_folders.h"
#include "document/json_fields.h"
#include "document/own_looks.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kLookFormat = "tsukimi look";
constexpr int kLookSchema = 1;

}  // namespace

SavedLook saved_look(std::string name, std::string group, const Values& look, const Values& start,
                     bool with_exposure) {
  SavedLook out{std::move(name), std::move(group), {}, {}};
  for (const auto& row : look.kind.rows()) {
    // Only what was set: the air is the frame's own, and so is its light.
    const bool air = row.id >= Param::airlight_red && row.id <= Param::airlight_blue;
    if (air || (row.id == Param::exposure && !with_exposure)) continue;
    if (std::fabs(look[row.id] - start[row.id]) >= 0.5 * std::pow(10, -row.decimals))
      out.values.emplace_back(row.id, look[row.id]);
  }
  return out;
}

std::vector<Param> rows_of(const SavedLook& saved) {
  std::vector<Param> out;
  for (const auto& [p, value] : saved.values) out.push_back(p);
  return out;
}

Values applied(const SavedLook& saved, Values look, std::span<const Param> rows) {
  for (const auto& [p, value] : saved.values)
    if (std::ranges::find(rows, p) != rows.end()) look[p] = value;
  return look;
}

fs::path looks_folder() {
  const fs::path data = data_folder();
  return data.empty() ? data : data / "looks";
}

Result<SavedLook> read_look(const fs::path& file) {
  constexpr std::uintmax_t kMost = 1u << 20;
  const auto bytes = read_file(file, kMost);
  if (!bytes) return tl::unexpected(bytes.error());
  const std::string name = printable(file.string());
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  if (!j.is_object() || !j.contains("format") || j["format"] != kLookFormat)
    return fail(name + " is not a saved look.");
  try {
    const Fields f(j, "");
    if (f.whole("schema", 1, 1 << 30) > kLookSchema)
      return fail(name + " was made by a newer Tsukimi and was not read.");
    SavedLook out{f.text("name"), f.text("group"), {}, file};
    if (out.name.empty()) f.wrong("name", "is empty");
    const Fields values = f.object("look");
    std::vector<std::string> names;
    for (const auto& row : parameter_table()) {
      names.push_back(row.name);
      if (values.has(row.name))
        out.values.emplace_back(row.id, values.number(row.name, row.min, row.max));
    }
    values.nothing_but(names);
    return out;
  } catch (const FieldError& e) {
    return fail(name + " is damaged and was not read (" + printable(e.what()) + ").");
  }
}

Result<void> write_look(const SavedLook& look, const fs::path& file) {
  json values = json::object();
  for (const auto& [p, value] : look.values) values[info(p).name] = value;
  const json j{{"format", kLookFormat},
               {"schema", kLookSchema},
               {"name", look.name},
               {"group", look.group},
               {"look", values}};
  std::error_code ec;
  fs::create_directories(fs::absolute(file, ec).parent_path(), ec);
  return write_document(file, j.dump(1, ' ', false, json::error_handler_t::replace) + "\n",
                        kLookFormat);
}

fs::path look_file(const fs::path& folder, const SavedLook& look) {
  std::string base;
  for (unsigned char c : look.name)
    base += c < 128 && std::isalnum(c) ? static_cast<char>(std::tolower(c)) : '_';
  std::error_code ec;
  for (int k = 1;; ++k) {
    const fs::path file =
        folder / (base.substr(0, 60) + (k > 1 ? "_" + std::to_string(k) : "") + ".json");
    if (!fs::exists(fs::symlink_status(file, ec))) return file;
  }
}

std::vector<SavedLook> all_looks(const fs::path& folder, std::vector<std::string>* wrong) {
  std::vector<SavedLook> out = own_looks();
  std::error_code ec;
  if (!folder.empty())
    for (const auto& entry : fs::directory_iterator(folder, ec)) {
      if (entry.path().extension() != ".json") continue;
      auto look = read_look(entry.path());
      if (look)
        out.push_back(std::move(*look));
      else if (wrong)
        wrong->push_back(look.error().message);
    }
  // Our own first, in the order of the evening.
  const auto mine = out.begin() + std::ssize(own_looks());
  std::sort(mine, out.end(), [](const SavedLook& a, const SavedLook& b) {
    return std::tie(a.group, a.name, a.file) < std::tie(b.group, b.name, b.file);
  });
  return out;
}

}  // namespace tsukimi
