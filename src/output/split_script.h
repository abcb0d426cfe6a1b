// SPDX-License-Identifier: GPL-3.0-or-later
// An export in parts for an engine that runs commands: what each makes is the same whoever makes
// it, and the last step gathers and proves it.
#pragma once

#include <string>
#include <vector>

#include "base/result.h"
#include "base/table.h"

namespace tsukimi {

enum class Engine { make, parallel, slurm };
constexpr Words<Engine> kEngines{
    {{Engine::make, "make"}, {Engine::parallel, "parallel"}, {Engine::slurm, "slurm"}}};

struct SplitJob {
  std::vector<std::string> command;  // of the whole export; "--part I/N" is added
  std::vector<std::string> proofs;   // paths to verify at the end
  bool joins = false;                // films are joined of what the parts made
  int parts = 2;
  double memory = 0, disk = 0;  // bytes that a part needs
};

// A makefile (make -f SCRIPT -j…), a shell script with a line for GNU parallel, or one that submits
// itself to Slurm as an array with a last job behind it.
std::string split_script(const SplitJob& job, Engine engine);

std::string shell_word(const std::string& text);  // quoted where it must be

}  // namespace tsukimi
