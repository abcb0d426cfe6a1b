// SPDX-License-Identifier: GPL-3.0-or-later
// Looks: those that are saved, carrying parts of one, and where key frames belong.
#include <iostream>

#include "cli/commands.h"
#include "cli/parse.h"
#include "document/carry.h"
#include "document/files/shoot_file.h"
#include "document/kept_places.h"
#include "document/values.h"
#include "film/propose_keys.h"

namespace tsukimi::cli {
namespace {

using nlohmann::json;

Result<void> check_frames(const Shoot& shoot, const std::vector<int>& frames) {
  for (int frame : frames)
    if (frame >= shoot.frame_count())
      return fail("There is no frame " + std::to_string(frame) + ": the sequence has " +
                  std::to_string(shoot.frame_count()) + ".");
  return {};
}

void print_changes(const std::vector<CarryChange>& changes, bool as_json) {
  json list = json::array();
  for (const CarryChange& c : changes) {
    if (as_json)
      list.push_back(
          {{"frame", c.frame}, {"name", info(c.param).name}, {"from", c.from}, {"to", c.to}});
    else
      std::printf("%d %s %g -> %g\n", c.frame, info(c.param).name, c.from, c.to);
  }
  if (as_json) std::cout << json{{"changes", list}}.dump() << "\n";
}

struct CarryOptions {
  std::string file, to = "all", parts = "all";
  int from = 0;
  bool list = false, as_json = false;
};

Result<void> run_carry(const CarryOptions& o, const std::vector<Param>& rows,
                       const std::vector<int>& listed) {
  auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  if (auto ok = check_frames(*shoot, {o.from}); !ok) return ok;
  if (auto ok = check_frames(*shoot, listed); !ok) return ok;
  const auto frames = o.to == "all"      ? carry_targets(*shoot, o.from, CarryTo::all)
                      : o.to == "before" ? carry_targets(*shoot, o.from, CarryTo::before)
                      : o.to == "after"  ? carry_targets(*shoot, o.from, CarryTo::after)
                                         : listed;
  const Values look = course_of(*shoot).at(o.from);
  print_changes(carry_changes(*shoot, look, rows, frames), o.as_json);
  if (o.list) return {};
  carry(*shoot, look, rows, frames);
  return said(save_shoot(*shoot, o.file));
}

Result<void> list_looks(bool as_json) {
  std::vector<std::string> wrong;
  const auto all = all_looks(looks_folder(), &wrong);
  for (const auto& w : wrong) std::cerr << "tsukimi-batch: " << w << "\n";
  json list = json::array();
  for (const SavedLook& look : all) {
    json values = json::object();
    for (const auto& [p, value] : look.values) values[info(p).name] = value;
    if (as_json)
      list.push_back(
          {{"name", look.name},
           {"group", look.group},
           {"file", look.file.empty() ? json(nullptr) : json(to_json_name(look.file.string()))},
           {"look", values}});
    else
      std::cout << printable(look.name) << "\n";
  }
  if (as_json) std::cout << json{{"looks", list}}.dump() << "\n";
  return {};
}

struct SaveOptions {
  std::string file, name, group, to;
  int frame = 0;
  bool with_exposure = false, with_places = false;
};

Result<void> save_look(const SaveOptions& o) {
  const auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  if (auto ok = check_frames(*shoot, {o.frame}); !ok) return ok;
  SavedLook look =
      saved_look(o.name, o.group, course_of(*shoot).at(o.frame),
                 neutral_look(shoot->as_shot.kelvin, shoot->as_shot.tint), o.with_exposure);
  if (o.with_places) look.places = places_to_keep(*shoot, o.frame);
  const auto folder = looks_folder();
  if (o.to.empty() && folder.empty())
    return fail("There is no folder for looks: this user has no home. --to names a file.");
  const auto file = o.to.empty() ? look_file(folder, look) : std::filesystem::path(o.to);
  if (auto ok = write_look(look, file); !ok) return ok;
  std::cout << file.string() << "\n";
  return {};
}

Result<void> propose(const std::string& file, int most, bool as_json) {
  auto shoot = open_shoot(file);
  if (!shoot) return tl::unexpected(shoot.error());
  ProxyStore store(shoot->sequence.folder);
  const auto grids = measure_light(*shoot, store, {terminal_progress("measuring"), nullptr});
  json list = json::array();
  for (const ProposedKey& key :
       propose_keys(*shoot, plan_light(*shoot, grids), lamps_course(*shoot, grids), most)) {
    if (as_json)
      list.push_back({{"frame", key.frame}, {"why", words_of(key.why)}});
    else
      std::printf("%d %s\n", key.frame, words_of(key.why));
  }
  if (as_json) std::cout << json{{"there", key_places(*shoot)}, {"proposed", list}}.dump() << "\n";
  return {};
}

}  // namespace

void add_looks(CLI::App& app, Run& run) {
  {
    auto* c = app.add_subcommand("carry", "Carry parts of a frame's look onto key frames.");
    auto o = std::make_shared<CarryOptions>();
    c->add_option("FILE", o->file, "The shoot, .tsukimi; it is changed")->required();
    c->add_option("--from", o->from, "The frame whose look it is")
        ->required()
        ->check(CLI::NonNegativeNumber);
    c->add_option("--to", o->to, "Key frames: all, before, after; or frames as in 3,17-19");
    c->add_option("--parts", o->parts, "Pages, parts and rows, as in light,tone_curve,shadows");
    c->add_flag("--list", o->list, "Only says what would change");
    c->add_flag("--json", o->as_json, "What changes as JSON on stdout");
    c->callback([o, &run] {
      const auto rows = parse_parts(o->parts);
      const bool word = o->to == "all" || o->to == "before" || o->to == "after";
      const auto frames = word ? std::vector<int>() : parse_frames(o->to, "--to");
      run = [=] { return run_carry(*o, rows, frames); };
    });
  }
  {
    auto* c = app.add_subcommand("looks", "The saved looks: ours and the user's.");
    auto as_json = std::make_shared<bool>(false);
    c->add_flag("--json", *as_json, "With their values, as JSON");
    c->callback([as_json, &run] { run = [as_json] { return list_looks(*as_json); }; });
  }
  {
    auto* c = app.add_subcommand("save-look", "Keep a frame's look under a name.");
    auto o = std::make_shared<SaveOptions>();
    c->add_option("FILE", o->file, "The shoot, .tsukimi")->required();
    c->add_option("--frame", o->frame, "The frame whose look it is")
        ->required()
        ->check(CLI::NonNegativeNumber);
    c->add_option("--name", o->name, "Its name")->required();
    c->add_option("--group", o->group, "The group that it stands in");
    c->add_flag("--with-exposure", o->with_exposure, "Its exposure too");
    c->add_flag("--with-places", o->with_places, "Its places too, but for what is painted");
    c->add_option("--to", o->to, "The file to write; else it joins the user's saved looks");
    c->callback([o, &run] {
      if (o->name.empty()) throw CLI::ValidationError("--name", "is empty");
      run = [o] { return save_look(*o); };
    });
  }
  {
    auto* c = app.add_subcommand("propose", "Where key frames belong, and why.");
    auto file = std::make_shared<std::string>();
    auto most = std::make_shared<int>(6);
    auto as_json = std::make_shared<bool>(false);
    c->add_option("FILE", *file, "The shoot, .tsukimi; it is not changed")->required();
    c->add_option("--keys", *most, "How many there may be, with those that are there")
        ->check(CLI::Range(1, 100));
    c->add_flag("--json", *as_json, "As JSON on stdout");
    c->callback([=, &run] { run = [=] { return propose(*file, *most, *as_json); }; });
  }
}

}  // namespace tsukimi::cli
