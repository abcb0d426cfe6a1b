// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "film/light_plan.h"
#include "find_repairs/find_repairs.h"
#include "folder/sequence.h"

namespace tsukimi::cli {
namespace {

using nlohmann::json;

// What is known of a folder, and of its frames once their pictures were looked at.
struct Inspection {
  FolderScan scan;
  Sequence all;
  std::vector<Gap> gaps;  // within a sequence; a pause between two is none
  std::vector<Suspect> suspects;
  std::vector<DustSpot> dust;  // of the longest sequence
};

Result<Inspection> look_at(const std::string& folder, bool pictures) {
  auto scan = read_folder(folder, {}, {terminal_progress("reading"), nullptr});
  if (!scan) return tl::unexpected(scan.error());
  Inspection out;
  out.scan = std::move(*scan);
  out.all = make_sequence(out.scan, {}, Bracketing());
  ProxyStore store(out.scan.folder);
  std::size_t longest = 0;
  for (const Part& part : out.scan.parts) {
    // Every sequence is judged by itself; brackets change their settings on purpose.
    Shoot shoot;
    shoot.sequence = make_sequence(out.scan, part.frames, Bracketing());
    if (part.kind == PartKind::sequence)
      for (Gap gap : shoot.sequence.gaps) {
        gap.after = part.frames[gap.after];
        out.gaps.push_back(gap);
      }
    std::vector<Suspect> suspects;
    if (pictures && part.kind == PartKind::sequence) {
      suspects = measure_frames(shoot, store, {terminal_progress("looking"), nullptr}).suspects;
      if (std::exchange(longest, std::max(longest, part.frames.size())) < part.frames.size())
        out.dust =
            find_dust(dust_frames(shoot, store), {terminal_progress("looking for dust"), nullptr});
    } else
      suspects = find_suspects(shoot.sequence.frames, LightGrids(part.frames.size()),
                               std::vector<std::optional<FrameSigns>>(part.frames.size()));
    // What only its picture told.
    for (std::size_t i = 0; i < part.frames.size(); ++i)
      out.all.frames[static_cast<std::size_t>(part.frames[i])].problem =
          shoot.sequence.frames[i].problem;
    for (auto& s : suspects) {
      if (part.kind != PartKind::sequence && s.kind != SuspectKind::unreadable) continue;
      s.frame = part.frames[s.frame];
      out.suspects.push_back(std::move(s));
    }
  }
  std::sort(out.suspects.begin(), out.suspects.end(),
            [](const Suspect& a, const Suspect& b) { return a.frame < b.frame; });
  return out;
}

json sequences(const FolderScan& scan) {
  json out = json::array();
  for (const Part& p : scan.parts)
    out.push_back({{"kind", kPartKinds[p.kind].name},
                   {"count", p.frames.size()},
                   {"per_moment", p.per_moment},
                   {"interval", p.interval},
                   {"first", p.frames.front()},
                   {"last", p.frames.back()},
                   {"frames", p.frames},
                   {"why", p.why}});
  return out;
}

json facts(const Inspection& in) {
  const Sequence& s = in.all;
  json frames = json::array(), gaps = json::array(), steps = json::array(), changes = json::array(),
       suspects = json::array(), dust = json::array();
  for (std::size_t i = 0; i < s.frames.size(); ++i) {
    const auto& f = s.frames[i];
    json j{{"index", i},
           {"file", to_json_name(f.file)},
           {"time", format_time(f.time)},
           {"shutter", f.shutter},
           {"aperture", f.aperture},
           {"iso", f.iso},
           {"gain", gain_is_known(f) ? json(nominal_gain(f)) : json(nullptr)}};
    if (!f.usable()) j["problem"] = f.problem;
    frames.push_back(j);
  }
  for (const auto& g : in.gaps)
    gaps.push_back({{"after", g.after},
                    {"missing", g.missing},
                    {"in_numbering", g.in_numbering},
                    {"in_time", g.in_time}});
  for (const auto& p : s.steps)
    steps.push_back({{"frame", p.at}, {"stops", p.stops}, {"what", p.what}});
  for (const auto& c : s.changes) changes.push_back({{"frame", c.at}, {"what", c.what}});
  for (const auto& p : in.suspects)
    suspects.push_back({{"index", p.frame},
                        {"file", to_json_name(s.frames[p.frame].file)},
                        {"kind", kSuspectKinds[p.kind].name},
                        {"reason", p.reason},
                        {"proposed", is_event(p.kind) ? "keep" : "look"},
                        {"strength", p.strength}});
  for (const DustSpot& d : in.dust)
    dust.push_back({{"at", {d.at.x, d.at.y}}, {"radius", d.radius()}, {"strength", d.strength()}});
  return {{"frames", frames},
          {"interval", s.interval},
          {"jitter", s.jitter},
          {"gaps", gaps},
          {"steps", steps},
          {"setting_changes", changes},
          {"sequences", sequences(in.scan)},
          {"suspects", suspects},
          {"dust", dust},
          {"order",
           {{"by", s.order == FrameOrder::name ? "name" : "time"},
            {"backwards", s.ordering.backwards},
            {"wrapped", s.ordering.wrapped}}},
          {"size", {s.size.width, s.size.height}},
          {"notes", s.notes}};
}

void print(const Inspection& in) {
  const Sequence& s = in.all;
  std::cout << s.frames.size() << " frames, every " << s.interval << " s, " << s.size.width << "x"
            << s.size.height << "\n";
  if (in.scan.parts.size() > 1)
    for (std::size_t k = 0; k < in.scan.parts.size(); ++k) {
      const Part& p = in.scan.parts[k];
      std::cout << "sequence " << k << ": " << describe(p) << ", frames " << p.frames.front()
                << " to " << p.frames.back() << (p.why.empty() ? "" : ", " + p.why) << "\n";
    }
  for (const auto& g : in.gaps)
    std::cout << g.missing << " missing after frame " << g.after << " ("
              << printable(s.frames[g.after].file) << ")\n";
  for (const auto& c : s.changes)
    std::cout << "frame " << c.at << ": " << printable(c.what) << "\n";
  for (const auto& p : in.suspects)
    std::cout << "suspect " << p.frame << " (" << printable(s.frames[p.frame].file)
              << "): " << printable(p.reason) << "\n";
  for (const DustSpot& d : in.dust)
    std::cout << "dust at " << d.at.x << ", " << d.at.y << ": takes "
              << std::lround(100 * d.strength()) << " % of the light\n";
  for (const auto& n : s.notes) std::cout << printable(n) << "\n";
}

}  // namespace

void add_inspect(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("inspect", "Say what is in a folder of frames.");
  auto folder = std::make_shared<std::string>();
  auto as_json = std::make_shared<bool>(false);
  c->add_option("DIR", *folder, "Folder of frames")->required();
  c->add_flag("--json", *as_json, "Print JSON");
  auto metadata_only = std::make_shared<bool>(false);
  c->add_flag("--metadata-only", *metadata_only,
              "Do not look at the pictures: faster, fewer suspects");
  c->callback([=, &run] {
    run = [=]() -> Result<void> {
      const auto s = look_at(*folder, !*metadata_only);
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
