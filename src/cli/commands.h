// SPDX-License-Identifier: GPL-3.0-or-later
// The commands of tsukimi-batch. Each adds itself to the command line and, when it was called,
// leaves what is to be run in `run`. The contract (options, JSON, exit codes) is in
// docs/formats.md.
#pragma once

#include <CLI/CLI.hpp>
#include <atomic>
#include <functional>

#include "base/result.h"

namespace tsukimi::cli {

using Run = std::function<Result<void>()>;

void add_simulate(CLI::App& app, Run& run);
void add_demo(CLI::App& app, Run& run);
void add_inspect(CLI::App& app, Run& run);
void add_stack(CLI::App& app, Run& run);
void add_bring_in(CLI::App& app, Run& run);
void add_watch(CLI::App& app, Run& run);
void add_plan(CLI::App& app, Run& run);
void add_looks(CLI::App& app, Run& run);
void add_measure(CLI::App& app, Run& run);
void add_report(CLI::App& app, Run& run);
void add_jobs(CLI::App& app, Run& run);  // export, film, make
void add_settings(CLI::App& app, Run& run);
void add_queue(CLI::App& app, Run& run);
void add_split(CLI::App& app, Run& run);
void add_verify(CLI::App& app, Run& run);

// "1500x1000" to a size; throws CLI::ValidationError.
struct ParsedSize {
  int width, height;
};
ParsedSize parse_size(const std::string& text);

// Set by Ctrl+C once this was called: work ends in good order.
const std::atomic<bool>* cancel_flag();

// Progress on stderr, only when it is a terminal.
std::function<void(int, int)> terminal_progress(std::string what);

}  // namespace tsukimi::cli
