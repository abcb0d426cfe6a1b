// SPDX-License-Identifier: GPL-3.0-or-later
// --crop, --straighten, --glide, --ease, --steady, --follow-area of `plan`.
#pragma once

#include "cli/parse.h"
#include "document/framing/framing_edit.h"

namespace tsukimi::cli {

class FramingOptions {
 public:
  void add_to(CLI::App& command);
  void parse();  // throws CLI::ValidationError
  // Fails when the crop or the glide does not lie in the frames that there are.
  Result<void> apply(Shoot& shoot) const;

 private:
  std::string crop_, glide_, ease_ = "in-out", steady_;
  double straighten_ = 0;
  std::optional<double> shape_;
  std::optional<Rect> area_;
  struct Key {
    int frame = 0;
    double x = 0, y = 0, w = 1, angle = 0;
  };
  std::vector<Key> keys_;
  SteadySettings steadying_;
  std::vector<std::string> areas_;
  std::optional<GlideKind> proposed_;
};

}  // namespace tsukimi::cli
