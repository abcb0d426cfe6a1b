// The film's frames, developed at full quality and numbered without gaps.
#pragma once

#include "document/shoot.h"
#include "film/light_plan.h"

namespace tsukimi {

struct ExportRange {
  int first = 0, last = -1;  // positions in the film, from 0; last -1: to the end
};

struct ExportReport {
  int total = 0, written = 0, kept = 0;  // kept: there already, made from the same settings
  std::vector<std::string> problems;     // one sentence per frame that could not be exported
  bool cancelled = false;
  bool complete() const { return !cancelled && problems.empty(); }
};

// Exports to decisions.output.folder (made if missing). Beside the frames stands a manifest
// (tsukimi-export.json) that says what each file was made from: an export that was broken off goes
// on where it stopped, and unchanged frames are not made again. Files that are there for another
// reason are not touched unless `overwrite` is set: then the export fails before it writes
// anything. Frame k of the film always has number k + 1, whatever range is exported.
Result<ExportReport> export_frames(const Shoot& shoot, const LightPlan& plan, ExportRange range,
                                   bool overwrite, const Work& work = {});

}  // namespace tsukimi
