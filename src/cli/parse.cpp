// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/parse.h"

#include "cli/commands.h"

namespace tsukimi::cli {

std::vector<std::string> split(const std::string& text, char at) {
  std::vector<std::string> out(1);
  for (char c : text)
    if (c == at)
      out.emplace_back();
    else
      out.back() += c;
  return out;
}

std::vector<int> parse_frames(const std::string& text, const char* option) {
  std::vector<int> out;
  if (text.empty()) return out;
  for (const auto& part : split(text)) {
    const auto dash = part.find('-');
    int first = 0, last = 0;
    const bool good = dash == std::string::npos
                          ? parse_number(std::string_view(part), first) && ((last = first), true)
                          : parse_number(std::string_view(part).substr(0, dash), first) &&
                                parse_number(std::string_view(part).substr(dash + 1), last);
    if (!good || first < 0 || last < first || last > 100000)
      throw CLI::ValidationError(option,
                                 "\"" + text + "\" is not a list of frames such as 3,17-19");
    for (int f = first; f <= last; ++f) out.push_back(f);
  }
  return out;
}

Set parse_set(const std::string& text) {
  const auto equals = text.find('='), at = text.find('@');
  if (equals == std::string::npos)
    throw CLI::ValidationError("--set", "\"" + text + "\" is not name=value or name=value@frame");
  const auto setting = find_setting(text.substr(0, equals));
  if (!setting) {
    std::string names;
    for (const auto& row : kLook.rows()) names += std::string(names.empty() ? "" : ", ") + row.name;
    throw CLI::ValidationError("--set", "there is no adjustment \"" + text.substr(0, equals) +
                                            "\" (there are " + names + ")");
  }
  Set set{*setting, 0, -1};
  const std::string value =
      text.substr(equals + 1, at == std::string::npos ? std::string::npos : at - equals - 1);
  if (!parse_number(std::string_view(value), set.value) ||
      (at != std::string::npos &&
       (!parse_number(std::string_view(text).substr(at + 1), set.frame) || set.frame < 0)))
    throw CLI::ValidationError("--set", "\"" + text + "\" is not name=value or name=value@frame");
  const auto& row = info(setting->param);
  if (!(set.value >= row.min && set.value <= row.max)) {
    char range[64];
    std::snprintf(range, sizeof range, " goes from %g to %g", row.min, row.max);
    throw CLI::ValidationError("--set", row.name + std::string(range));
  }
  return set;
}

Rect parse_area(const std::string& text, const char* option) {
  const auto parts = split(text);
  double v[4];
  bool good = parts.size() == 4;
  for (int i = 0; good && i < 4; ++i) good = parse_number(std::string_view(parts[i]), v[i]);
  if (!good || !(v[0] >= 0 && v[1] >= 0 && v[2] > 0 && v[3] > 0 && v[0] + v[2] <= 1.0001 &&
                 v[1] + v[3] <= 1.0001))
    throw CLI::ValidationError(option, "\"" + text + "\" is not x,y,w,h in fractions of the frame");
  return {v[0], v[1], std::min(v[2], 1 - v[0]), std::min(v[3], 1 - v[1])};
}

AtFrame parse_at_frame(const std::string& text) {
  const auto at = text.rfind('@');
  AtFrame out{text.substr(0, at), -1};
  if (at == std::string::npos) return out;
  // A name may hold an @ of its own.
  if (!parse_number(std::string_view(text).substr(at + 1), out.frame) || out.frame < 0)
    return {text, -1};
  return out;
}

Easing parse_easing(const std::string& word) {
  const char* const words[] = {"smooth", "straight", "eased",
                               "hold"};  // in the enumeration's order
  for (int i = 0; i < 4; ++i)
    if (word == words[i]) return Easing(i);
  throw CLI::ValidationError(
      "--easing", "\"" + word + "\" is none of smooth, straight, eased and hold (@frame for one)");
}

std::vector<Param> parse_parts(const std::string& text) {
  std::vector<Param> out;
  for (const std::string& name : split(text)) {
    const auto rows = rows_named(name);
    if (rows.empty()) {
      std::string names;
      for (const LookPart& part : look_parts()) names += ", " + part.name;
      throw CLI::ValidationError(
          "--parts", "there is no part \"" + name +
                         "\" (there are all, light, tones, colours, detail, lens" + names + ")");
    }
    for (Param p : rows)
      if (std::ranges::find(out, p) == out.end()) out.push_back(p);
  }
  std::ranges::sort(out);
  return out;
}

Result<SavedLook> find_look(const std::vector<SavedLook>& all, const std::string& name) {
  // The user's own of that name comes before ours.
  for (auto look = all.rbegin(); look != all.rend(); ++look)
    if (look->name == name) return *look;
  std::error_code ec;
  if (std::filesystem::exists(name, ec)) return read_look(name);
  return fail("There is no saved look \"" + name + "\", and no file of that name.");
}

PixelSize parse_pixels(const std::string& text) {
  PixelSize out;
  constexpr std::string_view kLong = "long:";
  if (text.empty()) return out;
  if (!text.starts_with(kLong)) {
    const auto s = parse_size(text);
    out.exact = {s.width, s.height};
    return out;
  }
  constexpr int kMost = 65000;
  if (!parse_number(std::string_view(text).substr(kLong.size()), out.long_edge) ||
      out.long_edge < 2 || out.long_edge > kMost)
    throw CLI::ValidationError("--size", "\"" + text + "\" is not WxH or long:N, as in long:1920");
  return out;
}

ExportPart parse_part(const std::string& text) {
  if (text.empty()) return {};
  const auto slash = std::min(text.find('/'), text.size());
  ExportPart out;
  constexpr int kMost = 100000;
  if (!parse_number(std::string_view(text).substr(0, slash), out.index) ||
      !parse_number(std::string_view(text).substr(std::min(slash + 1, text.size())), out.count) ||
      out.index < 1 || out.count < out.index || out.count > kMost)
    throw CLI::ValidationError("--part", "\"" + text + "\" is not a part such as 2/4");
  return out;
}

ExportRange parse_range(const std::string& text) {
  if (text == "last") return ExportRange::last_frame();
  ExportRange r;
  if (text.empty()) return r;
  const char* end = text.data() + text.size();
  const auto a = std::from_chars(text.data(), end, r.first);
  const bool dash = a.ec == std::errc() && a.ptr != end && *a.ptr == '-';
  const auto b = dash ? std::from_chars(a.ptr + 1, end, r.last) : a;
  if (!dash || b.ec != std::errc() || b.ptr != end || r.first < 0 || r.last < r.first)
    throw CLI::ValidationError("--frames", "\"" + text + "\" is not a range such as 0-99");
  return r;
}

}  // namespace tsukimi::cli
