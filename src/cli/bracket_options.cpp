// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/bracket_options.h"

#include "cli/parse.h"

namespace tsukimi::cli {

void BracketOptions::add_to(CLI::App& app) {
  app.add_option("--brackets", size,
                 "Shots of each moment: auto, a number from 2 to 9, or none: each is a frame");
  app.add_option("--bracket-pause", pause,
                 "Seconds without a shot that part moments (otherwise by their exposures)")
      ->check(CLI::Range(0.0, 86400.0));
  app.add_option("--bracket-frame", frame,
                 "merged, or the number of the one shot of every moment that is taken, from 1");
  app.add_option("--move-shot", moved,
                 "A shot that belongs to another moment: NAME:before or NAME:after")
      ->expected(1)
      ->take_all();
}

std::optional<Bracketing> BracketOptions::of(const std::vector<FrameInfo>& shots) const {
  const bool automatic = size == "auto";
  Bracketing out;
  if (automatic || size != "none") out = find_brackets(shots);
  if (!automatic && size != "none") {
    int number = 0;
    if (!parse_number(size, number) || number < 2 || number > kMostShots)
      throw CLI::ValidationError("--brackets",
                                 "\"" + size + "\" is not auto, none or a number from 2 to 9");
    if (out.set_size != number) out = {.set_size = number};
  }
  if (pause > 0) out.pause = pause;
  if (frame != "merged" &&
      (!parse_number(frame, out.exposure) || out.exposure < 1 || out.exposure > kMostShots))
    throw CLI::ValidationError("--bracket-frame",
                               "\"" + frame + "\" is not merged or a number from 1 to 9");
  for (const std::string& text : moved) {
    const auto colon = text.rfind(':');
    const std::string to = colon == std::string::npos ? "" : text.substr(colon + 1);
    if (to != "before" && to != "after")
      throw CLI::ValidationError("--move-shot",
                                 "\"" + text + "\" is not NAME:before or NAME:after");
    out.moved.push_back({text.substr(0, colon), to == "before" ? -1 : 1});
  }
  if (out.exposure > std::max(out.set_size, 1))
    throw CLI::ValidationError("--bracket-frame", "\"" + frame + "\" of moments of " +
                                                      std::to_string(out.set_size) + " shots");
  // What is found in each sequence by itself.
  if (automatic && frame == "merged" && pause == 0 && moved.empty()) return {};
  if (out.set_size <= 1 && (pause > 0 || !moved.empty() || frame != "merged"))
    throw CLI::ValidationError("--brackets",
                               "no brackets are found here; --brackets N says how many "
                               "shots a moment has");
  return out;
}

std::vector<int> part_of(const FolderScan& scan, int sequence) {
  return sequence < 0 ? std::vector<int>() : scan.parts[static_cast<std::size_t>(sequence)].frames;
}

std::vector<FrameInfo> shots_in(const FolderScan& scan, int sequence) {
  if (sequence < 0) return scan.frames;
  std::vector<FrameInfo> out;
  for (int i : part_of(scan, sequence)) out.push_back(scan.frames[static_cast<std::size_t>(i)]);
  return out;
}

}  // namespace tsukimi::cli
