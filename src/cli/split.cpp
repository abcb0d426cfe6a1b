// SPDX-License-Identifier: GPL-3.0-or-later
// An export in parts, as a script for an engine that runs them.
#include "output/split_script.h"

#include <unistd.h>

#include <iostream>

#include "base/file.h"
#include "cli/commands.h"
#include "cli/job_options.h"
#include "document/files/shoot_file.h"
#include "document/framing/output_size.h"
#include "output/space.h"

namespace tsukimi::cli {
namespace {
namespace fs = std::filesystem;

struct SplitOptions {
  std::string file, engine, out;
  int parts = 2;
  std::vector<std::string> words;  // export or film, and its options
};

// Options alone tell by themselves which command they are of.
std::string command_of(const std::vector<std::string>& options) {
  auto has = [&](const char* name) { return std::ranges::find(options, name) != options.end(); };
  return has("--settings") ? "make" : has("--name") ? "export" : "film";
}

// `film --to …` with the shoot put in, as it would be typed by itself.
Result<JobOptions> parse_words(const SplitOptions& o, std::vector<std::string>& command) {
  command = o.words;
  if (command.empty())
    return fail("Behind -- stands what is made: export, film or make, and its options.");
  if (command.front().starts_with('-')) command.insert(command.begin(), command_of(command));
  command.insert(command.begin() + 1, o.file);
  JobOptions job;
  CLI::App app;
  app.require_subcommand(1);
  add_job_options(app, [&](const JobOptions& parsed) { job = parsed; });
  app.parse(std::vector<std::string>(command.rbegin(), command.rend()));
  return job;
}

std::string absolute(const std::string& path) { return plain_path(path).string(); }

// Paths of a command that is run elsewhere; what stands behind a path stays behind it. Saved
// settings are named, or are a file.
void make_absolute(std::vector<std::string>& command) {
  constexpr const char* kPaths[] = {"--to", "--sound", "--also-frames", "--also-film",
                                    "--settings"};
  command[1] = absolute(command[1]);
  for (std::size_t i = 2; i < command.size(); ++i)
    for (const std::string option : kPaths) {
      std::error_code ec;
      auto whole = [&](const std::string& path) {
        return option != "--settings" || fs::exists(path, ec) ? absolute(path) : path;
      };
      if (command[i] == option && i + 1 < command.size())
        command[i + 1] = whole(command[i + 1]);
      else if (command[i].starts_with(option + "="))
        command[i] = option + "=" + whole(command[i].substr(option.size() + 1));
    }
}

// Of all sinks and all frames.
double bytes_of(const ExportJob& job, const Shoot& shoot, int frames) {
  double out = 0;
  for (const auto& f : job.frames) out += estimated_bytes(f, output_size(shoot, f.pixels)) * frames;
  for (const auto& f : job.films)
    out += estimated_film_bytes(f, rate_of(f.fps > 0 ? f.fps : shoot.decisions.fps),
                                film_size(shoot, f), frames);
  return out;
}

Result<void> run_split(const SplitOptions& o) {
  SplitJob split;
  split.parts = o.parts;
  const auto parsed = parse_words(o, split.command);
  if (!parsed) return tl::unexpected(parsed.error());
  if (!parsed->job.part.whole()) return fail("The parts are the script's: leave --part out.");
  const auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  const ExportJob job = with_places(parsed->job, *shoot);
  for (const auto& f : job.frames) split.proofs.push_back(f.folder);
  for (const auto& f : job.films) split.proofs.push_back(f.file);
  split.joins = !job.films.empty();
  make_absolute(split.command);
  std::error_code ec;
  const fs::path self = fs::read_symlink("/proc/self/exe", ec);
  split.command.insert(split.command.begin(), ec ? "tsukimi-batch" : self.string());
  const int frames =
      job.range.last >= 0 ? job.range.last - job.range.first + 1 : film_length(*shoot);
  split.disk = bytes_of(job, *shoot, frames) / o.parts;
  // Three frames as read, and the one that is developed.
  const Size size = shoot->sequence.size;
  constexpr double kProgram = 300e6, kPixel = 3 * 16 + 40;
  split.memory = kProgram + kPixel * size.width * size.height;
  const auto engine = kEngines.named(o.engine);
  if (auto ok = write_file(o.out, split_script(split, engine), IfExists::keep); !ok) return ok;
  std::cout << o.out << "\n";
  return {};
}

}  // namespace

void add_split(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "split", "A script that makes an export in parts: split FILE … -- film --to …");
  auto o = std::make_shared<SplitOptions>();
  c->add_option("FILE", o->file, "The shoot (.tsukimi)")->required();
  c->add_option("--parts", o->parts, "How many")->required()->check(CLI::Range(2, 10000));
  c->add_option("--script", o->engine, "For which engine")
      ->required()
      ->check(CLI::IsMember(kEngines.names()));
  c->add_option("--out", o->out, "The script")->required();
  c->add_option("WORDS", o->words, "Behind --: export, film or make, with its options");
  c->callback([o, &run] { run = [o] { return run_split(*o); }; });
}

}  // namespace tsukimi::cli
