// SPDX-License-Identifier: GPL-3.0-or-later
// --level, --follow-light, --step, --evening, --no-metadata-steps, --deflicker, --limit, --uneven,
// --colour-flicker, --steady-area, --leave-out, --soften of `plan`.
#pragma once

#include "cli/parse.h"
#include "document/shoot/shoot.h"

namespace tsukimi::cli {

class LightOptions {
 public:
  void add_to(CLI::App& command);
  void parse();  // throws CLI::ValidationError
  Result<void> apply(Shoot& shoot) const;

 private:
  LevelSettings level_;
  DeflickerSettings deflicker_;
  double period_ = 0;  // frames; 0: flicker stays
  std::string uneven_ = "auto", colour_ = "auto";
  std::vector<std::string> steady_, left_out_;
  std::vector<std::string> step_texts_, evening_texts_, soft_texts_;  // WHAT@FRAME
  // The same, each with its frame.
  std::vector<std::pair<int, StepChoice>> steps_;
  std::vector<std::pair<int, EveningHandle>> evening_;
  std::vector<std::pair<int, SoftenedEvent>> soft_;
};

}  // namespace tsukimi::cli
