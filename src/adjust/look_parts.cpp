// SPDX-License-Identifier: GPL-3.0-or-later
#include "adjust/look_parts.h"

#include <algorithm>
#include <cctype>

namespace tsukimi {
namespace {

std::string as_name(std::string text) {
  for (char& c : text)
    c = c == ' ' ? '_' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return text;
}

bool belongs_together(const DrawerPlace& place) {
  for (Param p : {Param::shadow_hue, Param::hue_ring, Param::tone_curve, Param::airlight_red})
    if (std::string_view(info(p).place.group) == place.group) return true;
  return false;
}

std::vector<LookPart> make_parts() {
  std::vector<LookPart> parts;
  for (const auto& row : kLook.rows()) {
    const bool grouped = belongs_together(row.place);
    const std::string group = row.place.group;
    if (row.id >= Param::airlight_red && row.id <= Param::airlight_blue) {
      std::ranges::find(parts, "haze", &LookPart::name)->rows.push_back(row.id);
      continue;
    }
    const std::string name = grouped ? as_name(group) : row.name;
    const auto there = std::ranges::find(parts, name, &LookPart::name);
    if (there == parts.end())
      parts.push_back({name, grouped ? group : row.label, row.place.page, {row.id}});
    else
      there->rows.push_back(row.id);
    if (grouped && *row.place.page)
      std::ranges::find(parts, name, &LookPart::name)->page = row.place.page;
  }
  // Page by page.
  std::ranges::stable_sort(parts, {}, [](const LookPart& part) {
    return std::ranges::find_if(look_pages(), [&](const char* p) { return part.page == p; }) -
           look_pages().begin();
  });
  return parts;
}

}  // namespace

const std::vector<LookPart>& look_parts() {
  static const std::vector<LookPart> parts = make_parts();
  return parts;
}

std::vector<Param> rows_named(std::string_view name) {
  std::vector<Param> out;
  const auto row = find_parameter(name);  // also by the window's words
  for (const LookPart& part : look_parts())
    if (name == "all" || name == part.name || name == as_name(part.page) ||
        (row && part.rows.size() && part.rows.front() == *row))
      out.insert(out.end(), part.rows.begin(), part.rows.end());
  return out;
}

Values with_rows(Values to, const Values& from, std::span<const Param> rows) {
  for (Param p : rows) to[p] = from[p];
  return to;
}

}  // namespace tsukimi
