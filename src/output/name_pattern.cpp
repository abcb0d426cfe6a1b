#include "output/name_pattern.h"

#include <cstdio>

namespace tsukimi {

Result<void> check_pattern(const std::string& pattern, int count) {
  const auto first = pattern.find('#');
  if (first == std::string::npos)
    return fail("The name \"" + pattern + "\" has no # for the number, as in harbour_#####.");
  const auto last = pattern.find_last_of('#');
  for (auto i = first; i <= last; ++i)
    if (pattern[i] != '#')
      return fail("The name \"" + pattern + "\" has more than one group of #.");
  if (pattern.find('/') != std::string::npos || pattern.find('\0') != std::string::npos ||
      pattern.front() == '.')
    return fail("The name \"" + pattern +
                "\" has a character that a file name cannot have, or starts with a dot.");
  constexpr std::size_t kMostBytes = 255 - 4;  // with ".jpg"
  if (pattern.size() > kMostBytes)
    return fail("The name \"" + pattern.substr(0, 40) + " …\" is longer than the " +
                std::to_string(kMostBytes) + " bytes that a file name can have.");
  const int digits = static_cast<int>(last - first + 1);
  if (digits > 9 || std::to_string(count).size() > static_cast<std::size_t>(digits))
    return fail("The name \"" + pattern + "\" has " + std::to_string(digits) + " digits for " +
                std::to_string(count) + " frames.");
  return {};
}

std::string numbered_name(const std::string& pattern, int number) {
  const auto first = pattern.find('#');
  const auto digits = static_cast<int>(pattern.find_last_of('#') - first + 1);
  char text[32];
  std::snprintf(text, sizeof text, "%0*d", digits, number);
  return pattern.substr(0, first) + text + pattern.substr(first + digits);
}

}  // namespace tsukimi
