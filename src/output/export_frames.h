// The film's frames, developed at full quality and numbered without gaps: plan, pass, sink.
#pragma once

#include "output/numbered_frames.h"

namespace tsukimi {

// Exports to decisions.output.folder. An export that was broken off goes on where it stopped, and
// unchanged frames are not made again (numbered_frames.h). Frame k of the film always has number
// k + 1, whatever range is exported.
Result<ExportReport> export_frames(const Shoot& shoot, const LightPlan& light, ExportRange range,
                                   bool overwrite, const Work& work = {});

// What goes before an export: plans the light, when it is not known, and finds the hot pixels where
// what was decided asks for it. step: called with what is done next ("measuring", ...), for its
// progress.
using Step = std::function<Work(const char*)>;
Result<LightPlan> prepare_export(Shoot& shoot, std::optional<LightPlan> light, const Step& step);

// The same with all that goes before it.
Result<ExportReport> export_shoot(Shoot& shoot, std::optional<LightPlan> light, ExportRange range,
                                  bool overwrite, const Step& step);

}  // namespace tsukimi
