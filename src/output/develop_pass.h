// The plan of an export, and the one pass in which its frames are developed for all sinks.
#pragma once

#include <span>

#include "output/sink.h"

namespace tsukimi {

struct ExportRange {
  int first = 0, last = -1;  // positions in the film, from 0; last -1: to the end
};

struct PlannedFrame {
  int number = 1;  // in the film, whatever range of it is exported
  FilmRecipe recipe;
};
struct ExportPlan {
  std::vector<PlannedFrame> frames;
  int film = 0;  // how many frames the film has
};

// Fails when there are no frames, or when the range is not in the film.
Result<ExportPlan> plan_export(const Shoot& shoot, const LightPlan& light, ExportRange range);

// Develops each frame once and puts it into every sink that does not have it. Reading, developing
// and putting go on at once, each one frame after the other; developing takes all cores that are
// free. No more than three frames are in memory, on any machine. Ends when the work is cancelled or
// every sink is broken.
void develop_pass(const ExportPlan& plan, std::span<Sink* const> sinks, const Work& work);

}  // namespace tsukimi
