// SPDX-License-Identifier: GPL-3.0-or-later
// --speed, --fit-length, --blur and the fades of `plan`.
#pragma once

#include "cli/parse.h"

namespace tsukimi::cli {

class PaceOptions {
 public:
  void add_to(CLI::App& command);
  void parse();  // throws CLI::ValidationError
  // Fails when a key frame is not in the sequence.
  Result<void> apply(Shoot& shoot) const;

 private:
  std::string speed_, faster_ = "skip", slower_ = "motion", gaps_ = "close", fade_to_ = "black";
  Pace pace_;
  struct Key {
    int frame = 0;
    double speed = 1;
  };
  std::vector<Key> keys_;
};

}  // namespace tsukimi::cli
