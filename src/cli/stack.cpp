// SPDX-License-Identifier: GPL-3.0-or-later
// stack: which moments the shots of a folder are.
#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/bracket_options.h"
#include "cli/commands.h"

namespace tsukimi::cli {
namespace {

using nlohmann::json;

json names_of(const FrameInfo& frame) {
  json out = json::array();
  for (const FrameInfo& shot : shots_of({frame})) out.push_back(to_json_name(shot.file));
  return out;
}

json to_json(const Sequence& s, const MomentReport& report) {
  json moments = json::array(), irregular = json::array();
  for (const FrameInfo& frame : s.frames)
    moments.push_back({{"frame", to_json_name(frame.file)}, {"shots", names_of(frame)}});
  for (const auto& one : report.irregular)
    irregular.push_back({{"moment", one.frame},
                         {"shots", names_of(s.frames[static_cast<std::size_t>(one.frame)])},
                         {"why", one.why}});
  return {{"files", report.files},  {"set_size", report.set_size}, {"pause", s.brackets.pause},
          {"stops", report.stops},  {"moments", moments},          {"irregular", irregular},
          {"whole", report.whole()}};
}

void print(const Sequence& s, const MomentReport& report) {
  if (report.set_size <= 1) {
    std::cout << report.files << " shots, no brackets\n";
    return;
  }
  std::cout << report.files << " shots, " << report.moments << " moments of " << report.set_size;
  for (std::size_t k = 0; k < report.stops.size(); ++k)
    std::cout << (k == 0 ? ": " : ", ") << std::lround(report.stops[k] * 10) / 10.0;
  std::cout << (report.stops.empty() ? "" : " stops") << "\n";
  if (s.brackets.pause > 0)
    std::cout << "parted by pauses of more than " << s.brackets.pause << " s\n";
  for (const auto& one : report.irregular)
    std::cout << "moment " << one.frame << " ("
              << printable(s.frames[static_cast<std::size_t>(one.frame)].file)
              << "): " << printable(one.why) << "\n";
  if (report.whole())
    std::cout << report.files << " / " << report.set_size << " = " << report.moments
              << ": no shot is missing\n";
}

}  // namespace

void add_stack(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("stack", "Say which moments the shots of a folder are.");
  auto folder = std::make_shared<std::string>();
  auto as_json = std::make_shared<bool>(false);
  auto sequence = std::make_shared<int>(-1);
  auto options = std::make_shared<BracketOptions>();
  c->add_option("DIR", *folder, "Folder of frames")->required();
  c->add_option("--sequence", *sequence, "One sequence of a folder with several, from 0")
      ->check(CLI::NonNegativeNumber);
  options->add_to(*c);
  c->add_flag("--json", *as_json, "Print JSON");
  c->callback([=, &run] {
    run = [=]() -> Result<void> {
      const auto scan = read_folder(*folder, {}, {terminal_progress("reading"), nullptr});
      if (!scan) return tl::unexpected(scan.error());
      if (*sequence >= static_cast<int>(scan->parts.size()))
        return fail(*folder + " has " + std::to_string(scan->parts.size()) +
                    " sequences (from 0), no sequence " + std::to_string(*sequence) + ".");
      const Sequence s =
          make_sequence(*scan, part_of(*scan, *sequence), options->of(shots_in(*scan, *sequence)));
      const MomentReport report = report_moments(s.frames, s.brackets);
      if (*as_json)
        std::cout << to_json(s, report).dump(1, ' ', false, json::error_handler_t::replace) << "\n";
      else
        print(s, report);
      return {};
    };
  });
}

}  // namespace tsukimi::cli
