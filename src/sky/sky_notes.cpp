// SPDX-License-Identifier: GPL-3.0-or-later
// What is to be said about how the sky was found to turn.
#include <algorithm>

#include "sky/sky_fit.h"

namespace tsukimi {
namespace {

const char* sentence(SkyProblem problem) {
  switch (problem) {
    case SkyProblem::none:
      break;
    case SkyProblem::few_frames:
      return "How the sky turns is not seen in fewer than three frames of one camera and lens.";
    case SkyProblem::no_stars:
      return "No stars were found, so it is not known how the sky turns.";
    case SkyProblem::few_stars:
      return "Too few stars were found to tell how the sky turns; six at least are needed.";
    case SkyProblem::stands:
      return "The points of light that were found stand still: they are no stars.";
    case SkyProblem::no_fit:
      return "What was found does not turn as stars do, so it is not known how the sky turns.";
  }
  return "";
}

// Frames as runs: "4-9, 12".
std::string runs_of(const std::vector<int>& frames) {
  std::string out;
  for (std::size_t i = 0; i < frames.size();) {
    std::size_t end = i;
    while (end + 1 < frames.size() && frames[end + 1] == frames[end] + 1) ++end;
    out += (out.empty() ? "" : ", ") + std::to_string(frames[i] + 1);
    if (end > i) out += "-" + std::to_string(frames[end] + 1);
    i = end + 1;
  }
  return out;
}

}  // namespace

std::vector<std::string> notes_of(const SkyFit& fit) {
  if (!fit.found()) return {sentence(fit.problem)};
  std::vector<std::string> out;
  std::vector<int> hidden, others;
  for (std::size_t k = 0; k < fit.frames.size(); ++k) {
    if (!fit.frames[k].valid)
      others.push_back(static_cast<int>(k));
    else if (!fit.frames[k].by_stars)
      hidden.push_back(static_cast<int>(k));
  }
  if (!hidden.empty())
    out.push_back("Too few stars are seen in the frames " + runs_of(hidden) +
                  "; there the sky goes on by the clock.");
  if (!others.empty())
    out.push_back("The frames " + runs_of(others) +
                  " are of another camera or lens; how the sky turns in them is not known.");
  return out;
}

}  // namespace tsukimi
