// SPDX-License-Identifier: GPL-3.0-or-later
// A frame of a film as a JPEG beside it: harbour.jpg for harbour.mp4.
#pragma once

#include <filesystem>

#include "folder/originals.h"
#include "output/develop_pass.h"

namespace tsukimi {

class Poster : public Sink {
 public:
  // number: of the frame in the film, from 1. Fails, unless `overwrite` is set, when something is
  // there that was made from something else (ErrorCode::exists).
  static Result<std::unique_ptr<Poster>> open(const std::filesystem::path& film, int number,
                                              const ExportSettings& how, const Originals& originals,
                                              const ExportPlan& plan, bool overwrite);

  bool has(int number) const override { return there_ || number != number_; }
  Rest put(const MadeFrame& frame) override;
  void miss(int number, const Error& why) override;
  bool broken() const override { return !problem_.empty(); }
  const std::string& problem() const { return problem_; }  // empty: it is there

 private:
  Poster(std::filesystem::path file, int number, const ExportSettings& how, std::string recipe,
         bool overwrite);
  Result<void> write(const MadeFrame& frame, const Encoded8& picture) const;

  const std::filesystem::path file_;
  const int number_;
  const ExportSettings how_;
  const std::string recipe_;
  const bool overwrite_;
  bool there_ = false;
  std::string problem_;
};

}  // namespace tsukimi
