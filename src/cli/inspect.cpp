#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "frames/sequence.h"

namespace tsukimi::cli {
namespace {

using nlohmann::json;

json facts(const Sequence& s) {
  json frames = json::array(), gaps = json::array(), steps = json::array();
  for (std::size_t i = 0; i < s.frames.size(); ++i) {
    const auto& f = s.frames[i];
    json j{{"index", i},
           {"file", f.file},
           {"time", format_time(f.time)},
           {"shutter", f.shutter},
           {"aperture", f.aperture},
           {"iso", f.iso},
           {"gain", nominal_gain(f)}};
    if (!f.usable()) j["problem"] = f.problem;
    frames.push_back(j);
  }
  for (const auto& g : s.gaps)
    gaps.push_back({{"after", g.after},
                    {"missing", g.missing},
                    {"in_numbering", g.in_numbering},
                    {"in_time", g.in_time}});
  for (const auto& p : s.steps)
    steps.push_back({{"frame", p.at}, {"stops", p.stops}, {"what", p.what}});
  return {{"frames", frames},
          {"interval", s.interval},
          {"gaps", gaps},
          {"steps", steps},
          {"size", {s.size.width, s.size.height}},
          {"notes", s.notes}};
}

void print(const Sequence& s) {
  std::cout << s.frames.size() << " frames, every " << s.interval << " s, " << s.size.width << "x"
            << s.size.height << "\n";
  for (const auto& g : s.gaps)
    std::cout << g.missing << " missing after frame " << g.after << " (" << s.frames[g.after].file
              << ")\n";
  for (const auto& p : s.steps) std::cout << "frame " << p.at << ": " << p.what << "\n";
  for (const auto& f : s.frames)
    if (!f.usable()) std::cout << f.file << " " << f.problem << "\n";
  for (const auto& n : s.notes) std::cout << n << "\n";
}

}  // namespace

void add_inspect(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("inspect", "Say what is in a folder of frames.");
  auto folder = std::make_shared<std::string>();
  auto as_json = std::make_shared<bool>(false);
  c->add_option("DIR", *folder, "Folder of frames")->required();
  c->add_flag("--json", *as_json, "Print JSON");
  c->callback([=, &run] {
    run = [=]() -> Result<void> {
      const auto s = scan_folder(*folder, {terminal_progress("reading"), nullptr});
      if (!s) return tl::unexpected(s.error());
      if (*as_json)
        std::cout << facts(*s).dump(1, ' ', false, json::error_handler_t::replace) << "\n";
      else
        print(*s);
      return {};
    };
  });
}

}  // namespace tsukimi::cli
