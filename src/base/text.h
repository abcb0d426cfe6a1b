// SPDX-License-Identifier: GPL-3.0-or-later
// Names are bytes: what a screen, a terminal or JSON makes of them.
#pragma once

#include <string>

namespace tsukimi {

// For people: control characters become "␤", bytes that are no UTF-8 "\uFFFD". Harmless in any
// terminal.
std::string printable(const std::string& name);

// For XML and HTML, within an element or a quoted attribute: printable, and & < > " escaped.
std::string markup(const std::string& text);

// For JSON, which is UTF-8: bytes that are no part of it become %XX, and so does a % that would be
// read as one. from_json_name(to_json_name(s)) == s for all bytes; plain names stay as they are.
std::string to_json_name(const std::string& bytes);
std::string from_json_name(const std::string& text);

}  // namespace tsukimi
