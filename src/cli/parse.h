// SPDX-License-Identifier: GPL-3.0-or-later
// The words of the command line, as what they mean. What cannot be read throws
// CLI::ValidationError: wrong usage.
#pragma once

#include <CLI/CLI.hpp>
#include <charconv>

#include "document/files/saved_look.h"
#include "document/shoot/shoot.h"
#include "output/develop_pass.h"

namespace tsukimi::cli {

template <typename T>
bool parse_number(std::string_view text, T& out) {
  const auto r = std::from_chars(text.data(), text.data() + text.size(), out);
  return !text.empty() && r.ec == std::errc() && r.ptr == text.data() + text.size();
}

std::vector<std::string> split(const std::string& text, char at = ',');

// "3,17-19,40" as frames, ascending.
std::vector<int> parse_frames(const std::string& text, const char* option);

struct Set {
  Setting setting;
  double value;
  int frame;  // -1: everywhere
};

Set parse_set(const std::string& text);
Rect parse_area(const std::string& text, const char* option);

// "hold@60": a word, and the frame it is meant for; -1: all.
struct AtFrame {
  std::string what;
  int frame = -1;
};
AtFrame parse_at_frame(const std::string& text);
Easing parse_easing(const std::string& word);

// "light,tone_curve,shadows": pages, parts and rows of a look.
std::vector<Param> parse_parts(const std::string& text);

// "1920x1080" or "long:1920"; empty: all pixels.
PixelSize parse_pixels(const std::string& text);

// "2/4"; empty: all of it.
ExportPart parse_part(const std::string& text);

// "0-99": positions in the film; "last"; empty: all of it.
ExportRange parse_range(const std::string& text);

// By its name, else by a file of that name.
Result<SavedLook> find_look(const std::vector<SavedLook>& all, const std::string& name);

}  // namespace tsukimi::cli
