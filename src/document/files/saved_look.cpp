// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/saved_look.h"

#include <algorithm>
#include <cmath>

#include "base/user_folders.h"
#include "document/files/own_looks.h"
#include "document/files/places_json.h"
#include "document/files/saved_file.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr SavedKind kKind{"tsukimi look", "saved look", 1};

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
  SavedLook out;
  const auto ok = read_saved(file, kKind, [&](const Fields& f) {
    out = {f.text("name"), f.text("group"), {}, file};
    if (out.name.empty()) f.wrong("name", "is empty");
    const Fields values = f.object("look");
    std::vector<std::string> names;
    for (const auto& row : kLook.rows()) {
      names.push_back(row.name);
      if (values.has(row.name))
        out.values.emplace_back(row.id, values.number(row.name, row.min, row.max));
    }
    values.nothing_but(names);
    if (f.has("places")) out.places = read_places(f, 1);
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

Result<void> write_look(const SavedLook& look, const fs::path& file) {
  json values = json::object();
  for (const auto& [p, value] : look.values) values[info(p).name] = value;
  json all{{"name", look.name}, {"group", look.group}, {"look", values}};
  for (const LocalPlace& p : look.places)
    all["places"].push_back(to_json(p, [](FrameId) { return 0; }));
  return write_saved(file, kKind, all);
}

fs::path look_file(const fs::path& folder, const SavedLook& look) {
  return free_saved_file(folder, look.name);
}

std::vector<SavedLook> all_looks(const fs::path& folder, std::vector<std::string>* wrong) {
  std::vector<SavedLook> out = own_looks();
  for (const fs::path& file : saved_files(folder)) {
    auto look = read_look(file);
    if (look)
      out.push_back(std::move(*look));
    else if (wrong)
      wrong->push_back(look.error().message);
  }
  // Our own first, in the order of the evening.
  const auto mine = out.begin() + std::ssize(own_looks());
  std::sort(mine, out.end(), [](const SavedLook& x, const SavedLook& y) {
    return std::tie(x.group, x.name, x.file) < std::tie(y.group, y.name, y.file);
  });
  return out;
}

}  // namespace tsukimi
