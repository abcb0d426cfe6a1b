// SPDX-License-Identifier: GPL-3.0-or-later
// An export from beginning to end: the light, the plan, one pass over the frames, every sink.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "output/film_file.h"
#include "output/numbered_frames.h"

namespace tsukimi {

class Fields;

// What is made of a shoot in one pass.
struct ExportJob {
  std::vector<ExportSettings> frames;
  std::vector<FilmSettings> films;
  ExportRange range = {};
  ExportPart part = {};
  bool overwrite = false;
  bool fill_holes = false;  // frames of films that cannot be read are made from their neighbours
  // The frames as the camera saw them, shots of brackets merged, and all of each: nothing that was
  // decided about look, light and framing.
  bool merged = false;
  bool operator==(const ExportJob&) const = default;
};

// What was decided for the shoot.
ExportJob job_of(const Decisions& decisions);
// The merged frames as OpenEXR or DNG, in a new folder beside that of the shoot.
ExportJob merged_job(const Shoot& shoot, FileFormat format);
constexpr const char* kMergedPattern = "{shoot}_merged_#####";
// The film's last frame as a picture, as frames are exported, in a folder beside that of the shoot.
ExportJob last_frame_job(const Shoot& shoot);
constexpr const char* kLastFramePattern = "last_frame_#####";
// With every place and name said: where none was chosen, the usual one (name_pattern.h). Films that
// would have the same name get their size into it.
ExportJob with_places(ExportJob job, const Shoot& shoot);

nlohmann::json to_json(const ExportJob& job);
ExportJob read_export_job(const Fields& fields);  // throws FieldError

struct JobReport {
  std::vector<ExportReport> frames;
  std::vector<FilmReport> films;
  std::vector<std::string> problems;  // of all of them
  bool cancelled() const;
  bool complete() const { return !cancelled() && problems.empty(); }
  std::vector<int> lacking() const;  // numbers that no film has
};

// Sets these frames of the film (by number) aside, so that they are made from their neighbours.
// False, and the film is another one, where that cannot be: too many in a row, or frames set aside
// are closed up.
bool set_holes_aside(Shoot& shoot, const std::vector<int>& numbers);

// step: called with what is done next ("measuring", "exporting", ...), for its progress.
using Step = std::function<Work(const char*)>;

// Measures the light when it is not known, finds hot pixels where what was decided asks for it, and
// develops each frame once for every size, whatever is made of it. What was broken off goes on;
// what is unchanged is not made again. Frame k of the film always has number k + 1, whatever range
// is exported.
Result<JobReport> run_export(Shoot& shoot, std::optional<LightPlan> light, const ExportJob& job,
                             const Step& step, const OnPicture& seen = {});

}  // namespace tsukimi
