// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/split_script.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace tsukimi {
namespace {

std::string replaced(std::string text, const std::string& what, const std::string& by) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
    text.replace(at, what.size(), by);
  return text;
}

std::string line_of(const std::vector<std::string>& words) {
  std::string out;
  for (const auto& w : words) out += (out.empty() ? "" : " ") + shell_word(w);
  return out;
}

int megabytes(double bytes) { return std::max(1, static_cast<int>(std::ceil(bytes / 1e6))); }

// What the script is and needs, as comments.
std::string head(const SplitJob& job, const char* how) {
  char text[300];
  std::snprintf(text, sizeof text,
                "# An export of Tsukimi in %d parts. Each needs about %d MB of memory and %d MB on "
                "the disk.\n# %s\n",
                job.parts, megabytes(job.memory), megabytes(job.disk), how);
  return text;
}

// What comes when all parts are there.
std::vector<std::string> last_steps(const SplitJob& job) {
  std::vector<std::string> out;
  if (job.joins) out.push_back(line_of(job.command));
  for (const auto& proof : job.proofs)
    out.push_back(line_of({job.command.front(), "verify", proof}));
  return out;
}

// A line of a rule. A dollar is make's own sign; a line ends where it ends, whatever the shell
// makes of it, so a command with line ends or the like in it is spelt in octal for printf.
std::string recipe_line(const std::string& command) {
  auto is_control = [](unsigned char c) { return c < 0x20 || c == 0x7f; };
  if (std::ranges::none_of(command, is_control)) return "\t" + replaced(command, "$", "$$") + "\n";
  std::string spelt;
  for (const unsigned char c : command) {
    char octal[8];
    std::snprintf(octal, sizeof octal, "\\%03o", static_cast<unsigned>(c));
    spelt += std::isalnum(c) || c == ' ' || c == '/' ? std::string(1, static_cast<char>(c)) : octal;
  }
  return "\t@eval \"$$(printf '" + spelt + "')\"\n";
}

std::string makefile(const SplitJob& job) {
  std::string names;
  for (int i = 1; i <= job.parts; ++i) names += " part-" + std::to_string(i);
  std::string out = head(job, "Run it with make -f THIS_FILE -j NUMBER_AT_ONCE");
  out += ".PHONY: all" + names + "\nall:" + names + "\n";
  for (const auto& step : last_steps(job)) out += recipe_line(step);
  for (int i = 1; i <= job.parts; ++i)
    out += "part-" + std::to_string(i) + ":\n" +
           recipe_line(line_of(job.command) + " --part " + std::to_string(i) + "/" +
                       std::to_string(job.parts));
  return out;
}

std::string parallel_script(const SplitJob& job) {
  std::string out = "#!/bin/sh\n" + head(job, "Run it with sh THIS_FILE; it needs GNU parallel.");
  // The engine expands signs of its own in what it is given, also within quotes: it is given a
  // number and this script again.
  out +=
      "set -e\nif [ -n \"$TSUKIMI_PART\" ]; then\n  exec " + line_of(job.command) +
      " --part \"$TSUKIMI_PART/" + std::to_string(job.parts) +
      "\"\nfi\nTSUKIMI_SCRIPT=$0\nexport TSUKIMI_SCRIPT\nparallel --halt soon,fail=1 --memfree " +
      std::to_string(megabytes(job.memory)) + "M 'TSUKIMI_PART={} sh \"$TSUKIMI_SCRIPT\"' :::";
  for (int i = 1; i <= job.parts; ++i) out += " " + std::to_string(i);
  out += "\n";
  for (const auto& step : last_steps(job)) out += step + "\n";
  return out;
}

std::string slurm_script(const SplitJob& job) {
  std::string out = "#!/bin/sh\n#SBATCH --job-name=tsukimi\n#SBATCH --mem=" +
                    std::to_string(megabytes(job.memory)) +
                    "M\n#SBATCH --tmp=" + std::to_string(megabytes(job.disk)) + "M\n";
  out += head(job, "Run it with sh THIS_FILE: it submits itself, and what gathers the parts.");
  out += "set -e\nif [ -n \"$SLURM_ARRAY_TASK_ID\" ]; then\n  exec " + line_of(job.command) +
         " --part \"$SLURM_ARRAY_TASK_ID/" + std::to_string(job.parts) +
         "\"\nfi\nif [ -z \"$SLURM_JOB_ID\" ]; then\n  parts=$(sbatch --parsable --array=1-" +
         std::to_string(job.parts) +
         " \"$0\")\n  exec sbatch --kill-on-invalid-dep=yes --dependency=afterok:\"$parts\" "
         "\"$0\"\nfi\n";
  for (const auto& step : last_steps(job)) out += step + "\n";
  return out;
}

}  // namespace

std::string shell_word(const std::string& text) {
  const bool plain = !text.empty() && std::ranges::all_of(text, [](unsigned char c) {
    return std::isalnum(c) ||
           std::string_view("-_./:=,+@%").find(static_cast<char>(c)) != std::string_view::npos;
  });
  return plain ? text : "'" + replaced(text, "'", "'\\''") + "'";
}

std::string split_script(const SplitJob& job, Engine engine) {
  return engine == Engine::make       ? makefile(job)
         : engine == Engine::parallel ? parallel_script(job)
                                      : slurm_script(job);
}

}  // namespace tsukimi
