// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/name_pattern.h"

#include <cstdio>

#include "base/text.h"
#include "film/film.h"

namespace tsukimi {
namespace {

void replace_all(std::string& text, const std::string& what, const std::string& by) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
    text.replace(at, what.size(), by);
}

// As it may stand in a file's name, and beside numbers.
std::string as_part(std::string text) {
  for (char& c : text)
    if (c == '/' || c == '#' || c == '{' || c == '}' || c == '\0') c = '_';
  return text;
}

}  // namespace

std::string expanded_pattern(const std::string& pattern, const Shoot& shoot) {
  std::string date, clock;
  const auto film = film_frames(shoot);
  const double time =
      film.empty() ? 0 : shoot.sequence.frames[static_cast<std::size_t>(film.front().frame)].time;
  if (time > 0) {
    const std::string text = format_time(time);  // 2031-10-04 18:42:20.00
    date = text.substr(0, 10);
    clock = text.substr(11, 2) + text.substr(14, 2) + text.substr(17, 2);
  }
  std::string out = pattern;
  replace_all(out, "{shoot}", as_part(shoot.sequence.folder.filename().string()));
  replace_all(out, "{date}", date.empty() ? "undated" : date);
  replace_all(out, "{time}", clock.empty() ? "untimed" : clock);
  return out;
}

Result<void> check_pattern(const std::string& pattern, int last_number) {
  const auto first = pattern.find('#');
  if (first == std::string::npos)
    return fail("The name \"" + pattern + "\" has no # for the number, as in harbour_#####.");
  const auto last = pattern.find_last_of('#');
  for (auto i = first; i <= last; ++i)
    if (pattern[i] != '#')
      return fail("The name \"" + pattern + "\" has more than one group of #.");
  if (const auto open = pattern.find_first_of("{}"); open != std::string::npos)
    return fail("The name \"" + pattern +
                "\" has a word in braces that is none of {shoot}, {date}, {time}.");
  if (pattern.find('/') != std::string::npos || pattern.find('\0') != std::string::npos ||
      pattern.front() == '.')
    return fail("The name \"" + pattern +
                "\" has a character that a file name cannot have, or starts with a dot.");
  constexpr std::size_t kMostBytes = 255 - 4;  // with ".jpg"
  if (pattern.size() > kMostBytes)
    return fail("The name \"" + pattern.substr(0, 40) + " …\" is longer than the " +
                std::to_string(kMostBytes) + " bytes that a file name can have.");
  const int digits = static_cast<int>(last - first + 1);
  if (digits > 9 || std::to_string(last_number).size() > static_cast<std::size_t>(digits))
    return fail("The name \"" + pattern + "\" has " + std::to_string(digits) +
                " digits for numbers up to " + std::to_string(last_number) + ".");
  return {};
}

std::string export_folder(const Shoot& shoot, const ExportSettings& how) {
  if (!how.folder.empty()) return how.folder;
  const std::filesystem::path& frames = shoot.sequence.folder;
  return (frames.parent_path() / (frames.filename().string() + "-frames")).string();
}

std::string film_file(const Shoot& shoot, const FilmSettings& film) {
  if (!film.file.empty())
    return container_of(film.file) == film.container ? film.file : film.file + film.container;
  const std::filesystem::path& frames = shoot.sequence.folder;
  return (frames.parent_path() / (frames.filename().string() + "-film" + film.container)).string();
}

std::string numbered_name(const std::string& pattern, int number) {
  const auto first = pattern.find('#');
  const auto digits = static_cast<int>(pattern.find_last_of('#') - first + 1);
  char text[32];
  std::snprintf(text, sizeof text, "%0*d", digits, number);
  return pattern.substr(0, first) + text + pattern.substr(first + digits);
}

}  // namespace tsukimi
