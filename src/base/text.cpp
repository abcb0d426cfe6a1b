// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/text.h"

#include <cstddef>
#include <cstdio>

namespace tsukimi {
namespace {

// Bytes of the UTF-8 sequence that begins at i (RFC 3629), 0 if there is none.
std::size_t sequence_at(const std::string& s, std::size_t i) {
  auto byte = [&](std::size_t k) { return k < s.size() ? static_cast<unsigned char>(s[k]) : 0u; };
  auto goes_on = [&](std::size_t k) { return (byte(k) & 0xC0) == 0x80; };
  const unsigned b = byte(i), next = byte(i + 1);
  if (b < 0x80) return 1;
  if (b >= 0xC2 && b <= 0xDF) return goes_on(i + 1) ? 2 : 0;
  if (b >= 0xE0 && b <= 0xEF) {
    const bool good = goes_on(i + 1) && goes_on(i + 2) && !(b == 0xE0 && next < 0xA0) &&
                      !(b == 0xED && next > 0x9F);
    return good ? 3 : 0;
  }
  if (b >= 0xF0 && b <= 0xF4) {
    const bool good = goes_on(i + 1) && goes_on(i + 2) && goes_on(i + 3) &&
                      !(b == 0xF0 && next < 0x90) && !(b == 0xF4 && next > 0x8F);
    return good ? 4 : 0;
  }
  return 0;
}

int hex(char c) {
  if (c >= '0' && c <= '9') return c - '0';
  if (c >= 'A' && c <= 'F') return c - 'A' + 10;
  return -1;
}

// "%XX", with capital letters, as to_json_name writes it.
bool is_escape(const std::string& s, std::size_t i) {
  return i + 2 < s.size() && s[i] == '%' && hex(s[i + 1]) >= 0 && hex(s[i + 2]) >= 0;
}

void escape(std::string& out, char c) {
  char text[4];
  std::snprintf(text, sizeof text, "%%%02X", static_cast<unsigned>(static_cast<unsigned char>(c)));
  out += text;
}

}  // namespace

std::string printable(const std::string& name) {
  std::string out;
  for (std::size_t i = 0; i < name.size();) {
    const std::size_t n = sequence_at(name, i);
    const auto c = static_cast<unsigned char>(name[i]);
    // C0 and C1 controls: terminals act on both.
    const bool control = c < 0x20 || c == 0x7f ||
                         (n == 2 && c == 0xC2 && static_cast<unsigned char>(name[i + 1]) < 0xA0);
    if (control)
      out += "␤";
    else if (n == 0)
      out += "\uFFFD";
    else
      out += name.substr(i, n);
    i += n == 0 ? 1 : n;
  }
  return out;
}

std::string to_json_name(const std::string& bytes) {
  std::string out;
  for (std::size_t i = 0; i < bytes.size();) {
    const std::size_t n = sequence_at(bytes, i);
    if (n == 0 || is_escape(bytes, i)) {
      escape(out, bytes[i]);
      ++i;
    } else {
      out += bytes.substr(i, n);
      i += n;
    }
  }
  return out;
}

std::string from_json_name(const std::string& text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (is_escape(text, i)) {
      out += static_cast<char>(hex(text[i + 1]) * 16 + hex(text[i + 2]));
      i += 2;
    } else {
      out += text[i];
    }
  }
  return out;
}

std::string markup(const std::string& text) {
  std::string out;
  for (char c : printable(text)) switch (c) {
      case '&':
        out += "&amp;";
        break;
      case '<':
        out += "&lt;";
        break;
      case '>':
        out += "&gt;";
        break;
      case '"':
        out += "&quot;";
        break;
      default:
        out += c;
    }
  return out;
}

}  // namespace tsukimi
