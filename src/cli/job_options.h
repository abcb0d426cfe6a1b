// SPDX-License-Identifier: GPL-3.0-or-later
// The options of what is made of a shoot, wherever they stand: in `export`, `film` and `make`, and
// behind `queue add` and `split`.
#pragma once

#include <CLI/CLI.hpp>

#include "output/export_job.h"

namespace tsukimi::cli {

struct JobOptions {
  std::string file;  // the shoot
  ExportJob job;
};
using TakeJob = std::function<void(const JobOptions&)>;

// Each adds a command; `take` gets what was asked for when it was called. What cannot be read
// throws CLI::ValidationError.
void add_export_options(CLI::App& app, const TakeJob& take);
void add_film_options(CLI::App& app, const TakeJob& take);
void add_make_options(CLI::App& app, const TakeJob& take);  // saved settings
inline void add_job_options(CLI::App& app, const TakeJob& take) {
  add_export_options(app, take);
  add_film_options(app, take);
  add_make_options(app, take);
}

}  // namespace tsukimi::cli
