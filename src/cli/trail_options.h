// SPDX-License-Identifier: GPL-3.0-or-later
// --trails, --trail-length, --trails-sky, --ground, --keep-out ... of `plan`, and --hold-stars.
#pragma once

#include "cli/parse.h"

namespace tsukimi::cli {

class TrailOptions {
 public:
  void add_to(CLI::App& command);
  void parse();  // throws CLI::ValidationError
  // Behind places and framing. Fails for frames and places that are not there.
  Result<void> apply(Shoot& shoot) const;

 private:
  struct Length {
    double value = 0;
    int frame = -1;  // everywhere
  };
  std::vector<std::string> lengths_, holds_;
  std::string kind_, sky_, ground_ = "each", keep_out_;
  double fade_ = -1;
  int every_ = 1;
  bool back_ = false, open_gaps_ = false;
  Trails trails_;
  std::vector<Length> at_frames_, held_;
  int ground_frame_ = -1;
};

}  // namespace tsukimi::cli
