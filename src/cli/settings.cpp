// SPDX-License-Identifier: GPL-3.0-or-later
// Saved export settings: ours and the user's; and exporting with them.
#include <iostream>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "cli/commands.h"
#include "cli/job_options.h"
#include "cli/parse.h"
#include "document/files/saved_file.h"
#include "document/files/shoot_file.h"
#include "output/saved_export.h"

namespace tsukimi::cli {
namespace {
using nlohmann::json;
namespace fs = std::filesystem;

Result<void> list_settings(bool as_json) {
  std::vector<std::string> wrong;
  const auto all = all_exports(exports_folder(), &wrong);
  for (const auto& w : wrong) std::cerr << "tsukimi-batch: " << w << "\n";
  json out = json::array();
  for (const SavedExport& one : all) {
    if (!as_json) std::cout << printable(one.name) << "\n";
    const json job = to_json(one.job);
    out.push_back(
        {{"name", one.name},
         {"file", one.file.empty() ? json(nullptr) : json(to_json_name(one.file.string()))},
         {"frames", job["frames"]},
         {"films", job["films"]}});
  }
  if (as_json) std::cout << json{{"settings", out}}.dump(1) << "\n";
  return {};
}

// Among the user's own.
Result<void> keep(const SavedExport& saved) {
  const fs::path folder = exports_folder();
  if (folder.empty()) return fail("There is no folder for settings: this user has no home.");
  for (const auto& one : all_exports(folder))
    if (one.name == saved.name && !one.file.empty())
      return fail("There are settings \"" + printable(saved.name) + "\" already.",
                  ErrorCode::exists);
  const fs::path file = free_saved_file(folder, saved.name);
  if (auto ok = write_export(saved, file); !ok) return ok;
  std::cout << file.string() << "\n";
  return {};
}

struct NameWords {
  std::string first, second;
};

// A command of one or two words; `second` may be nullptr.
struct Verb {
  const char *name, *help, *first, *second;
  Result<void> (*run)(const NameWords&);
};

Result<void> save_settings(const NameWords& w) {
  const auto shoot = open_shoot(w.first);
  if (!shoot) return tl::unexpected(shoot.error());
  return keep(saved_export(w.second, shoot->decisions));
}

Result<void> bring_in(const NameWords& w) {
  const auto saved = read_export(w.first);
  if (!saved) return tl::unexpected(saved.error());
  return keep(*saved);
}

Result<void> put_out(const NameWords& w) {
  const auto saved = find_export(w.first);
  if (!saved) return tl::unexpected(saved.error());
  return write_export(*saved, w.second);
}

Result<void> duplicate(const NameWords& w) {
  auto saved = find_export(w.first);
  if (!saved) return tl::unexpected(saved.error());
  saved->name = w.second;
  return keep(*saved);
}

Result<void> remove_settings(const NameWords& w) {
  const auto saved = find_export(w.first);
  if (!saved) return tl::unexpected(saved.error());
  std::error_code ec;
  if (saved->file.parent_path() != exports_folder())
    return fail("\"" + printable(w.first) + "\" is not one of the user's own settings.");
  if (!fs::remove(saved->file, ec))
    return fail(saved->file.string() + " cannot be removed: " + ec.message() + ".");
  return {};
}

const Verb kVerbs[] = {
    {"save", "Keep what is decided for a shoot's export.", "FILE", "NAME", save_settings},
    {"bring-in", "Read a file of settings into the user's own.", "FILE", nullptr, bring_in},
    {"put-out", "Write settings to a file.", "NAME", "FILE", put_out},
    {"duplicate", "Keep the same under another name.", "NAME", "NEW", duplicate},
    {"remove", "Forget settings of the user's own.", "NAME", nullptr, remove_settings}};

}  // namespace

void add_settings(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("settings", "Saved export settings: ours and the user's.");
  c->require_subcommand(1);
  {
    auto* l = c->add_subcommand("list", "Their names.");
    auto as_json = std::make_shared<bool>(false);
    l->add_flag("--json", *as_json, "With all that they say, as JSON");
    l->callback([as_json, &run] { run = [as_json] { return list_settings(*as_json); }; });
  }
  for (const Verb& verb : kVerbs) {
    auto* v = c->add_subcommand(verb.name, verb.help);
    auto words = std::make_shared<NameWords>();
    v->add_option(verb.first, words->first)->required();
    if (verb.second) v->add_option(verb.second, words->second)->required();
    v->callback([words, verb, &run] { run = [words, verb] { return verb.run(*words); }; });
  }
}

void add_make_options(CLI::App& app, const TakeJob& take) {
  auto* c = app.add_subcommand("make", "Export a shoot by saved settings.");
  struct Make {
    std::string settings, to, frames, part;
    JobOptions all;
  };
  auto o = std::make_shared<Make>();
  c->add_option("FILE", o->all.file, "The shoot (.tsukimi)")->required();
  c->add_option("--settings", o->settings, "Name of saved settings, or a file of them")->required();
  c->add_option("--to", o->to, "Folder for all that is made; else beside the shoot's folder");
  c->add_option("--frames", o->frames, "Only frames A-B of the film, from 0");
  c->add_option("--part", o->part, "Only part I of N, as in 2/4");
  c->add_flag("--overwrite", o->all.job.overwrite, "Replace what is there already");
  c->callback([o, take] {
    const auto saved = find_export(o->settings);
    if (!saved) throw CLI::ValidationError("--settings", saved.error().message);
    ExportJob job = saved->job;
    job.overwrite = o->all.job.overwrite;
    job.range = parse_range(o->frames);
    job.part = parse_part(o->part);
    if (!o->to.empty()) {
      const fs::path folder = o->to;
      const std::string stem = fs::path(o->all.file).stem().string();
      for (auto& f : job.frames) f.folder = (folder / (stem + "-frames")).string();
      for (auto& f : job.films) f.file = (folder / (stem + f.container)).string();
    }
    take({o->all.file, job});
  });
}

}  // namespace tsukimi::cli
