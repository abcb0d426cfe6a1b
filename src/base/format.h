// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers as text, as printf has them.
#pragma once

#include <cstdio>
#include <string>

namespace tsukimi {

template <typename... T>
std::string format(const char* how, T... values) {
  std::string out(static_cast<std::size_t>(std::snprintf(nullptr, 0, how, values...)), '\0');
  std::snprintf(out.data(), out.size() + 1, how, values...);
  return out;
}

}  // namespace tsukimi
