// SPDX-License-Identifier: GPL-3.0-or-later
// --level, --follow-light, --no-metadata-steps, --deflicker, --limit, --uneven, --colour-flicker,
// --steady-area of `plan`.
#pragma once

#include "cli/parse.h"
#include "document/shoot/shoot.h"

namespace tsukimi::cli {

class LightOptions {
 public:
  void add_to(CLI::App& command);
  void parse();  // throws CLI::ValidationError
  void apply(Decisions& decisions) const;

 private:
  LevelSettings level_;
  DeflickerSettings deflicker_;
  double period_ = 0;  // frames; 0: flicker stays
  std::string area_, uneven_ = "auto", colour_ = "auto";
};

}  // namespace tsukimi::cli
