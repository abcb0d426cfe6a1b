// SPDX-License-Identifier: GPL-3.0-or-later
// The sink of numbered files, with the manifest beside them from which an export goes on.
//
// A frame is made under no name, synced, noted in the manifest and only then given its name:
// whatever ends an export, what stands under a name is whole, and what the manifest does not know
// was not made here.
#pragma once

#include <atomic>
#include <chrono>
#include <memory>

#include "base/file.h"
#include "folder/originals.h"
#include "output/develop_pass.h"
#include "output/export_manifest.h"
#include "output/folder_lock.h"
#include "output/format_encoder.h"

namespace tsukimi {

struct ExportReport {
  int total = 0, written = 0, kept = 0;  // kept: there already, made from the same settings
  std::vector<std::string> problems;     // one sentence per frame that could not be exported
  bool cancelled = false;
  bool complete() const { return !cancelled && problems.empty(); }
};

// What goes into the file of a frame. Of a made frame the capture's facts are its neighbour's, but
// for the moment.
PictureFacts facts_of(const ExportSettings& how, const FilmRecipe& recipe);

class NumberedFrames : public Sink {
 public:
  // Takes the folder (made if missing), and finds out what is there of the plan. Fails, with
  // nothing written, when the folder is none of ours to write to or has not the room, and, unless
  // `overwrite` is set, when files are there that were made from something else
  // (ErrorCode::exists).
  static Result<std::unique_ptr<NumberedFrames>> open(const ExportSettings& how,
                                                      const Originals& originals,
                                                      const ExportPlan& plan, bool overwrite);

  bool has(int number) const override { return !jobs_.contains(number); }
  Rest put(const MadeFrame& frame) override;
  void miss(int number, const Error& why) override;
  bool broken() const override { return broken_; }

  // What was made before the target failed is kept as far as the target allows. Frames are counted
  // as safe by what stands on the disk, not by what was handed over.
  ExportReport finish(bool cancelled);

 private:
  // A file of a frame: the picture, or what is told beside it.
  struct Part {
    std::string name, recipe;
    bool sidecar = false;
    bool ours = false;  // what stands under the name was made from the same, but is damaged
  };
  struct Waiting {
    int number;
    const Part* part;
    StagedFile file;
    std::string sources, sum;
  };
  using Parts = std::vector<Part>;
  std::string write(const Parts& parts, int number, const FilmRecipe& recipe,
                    const std::string& sources, const EncodedPicture& ready,
                    std::vector<Waiting>& out) const;
  NumberedFrames(const ExportSettings& how, std::filesystem::path folder, bool overwrite, int part,
                 FolderLock lock, Manifest manifest);
  Parts parts_of(const PlannedFrame& frame) const;
  Result<void> plan_names(const ExportPlan& plan, const Originals& originals);
  Result<void> note_plan(const ExportPlan& plan);
  bool is_whole(const Part& part, const Manifest& manifest) const;
  int count_whole() const;
  bool flush();
  void fails(const std::string& why);

  const ExportSettings how_;
  const std::filesystem::path folder_;
  const bool overwrite_;
  const int part_;  // whose manifest is written; 0: the export's
  const FolderLock lock_;
  Manifest manifest_;
  Manifest found_again_;       // files of ours that were copied or restored here
  std::map<int, Parts> jobs_;  // what is to be made, by number in the film
  std::map<int, Parts> all_;   // of all frames of the plan
  ExportReport report_;
  std::vector<Waiting> waiting_;
  int left_free_ = 0;
  std::chrono::steady_clock::time_point flushed_ = std::chrono::steady_clock::now();
  std::atomic<bool> broken_{false};
};

}  // namespace tsukimi
