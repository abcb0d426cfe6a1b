// SPDX-License-Identifier: GPL-3.0-or-later
// The sink of a film: segments beside its future place, from which it goes on when it was cut off,
// joined when all of them are there.
#pragma once

#include <atomic>
#include <memory>
#include <optional>

#include "folder/originals.h"
#include "output/develop_pass.h"
#include "output/export_manifest.h"
#include "output/film_segment.h"
#include "output/folder_lock.h"
#include "output/join_film.h"

namespace tsukimi {

struct FilmReport {
  int total = 0, encoded = 0, kept = 0;  // frames; kept: in segments that were there already
  std::vector<int> lacking;              // numbers of frames that could not be made
  std::vector<std::string> problems;     // a sentence per such frame, or what went wrong
  bool cancelled = false;
  bool finished = false;  // the film is there, or the part of it that was asked for
};

class FilmFile : public Sink {
 public:
  // Takes `FILE.parts` beside the film for its segments. Fails, with nothing written, when the
  // settings are none, when the place is none of ours to write to or has not the room, and, unless
  // `overwrite` is set, when something else is there already (ErrorCode::exists). A finished film
  // that was made from the same is kept as it is. how.file: an absolute path.
  static Result<std::unique_ptr<FilmFile>> open(const FilmSettings& how, const FilmFacts& facts,
                                                const Originals& originals, const ExportPlan& plan,
                                                bool overwrite);

  bool has(int number) const override;
  Rest put(const MadeFrame& frame) override;
  void miss(int number, const Error& why) override;
  bool broken() const override { return broken_; }

  // Joins the segments when none lacks and all of the film is made here, and takes them away then.
  FilmReport finish(const Work& work);

  ~FilmFile() override;

 private:
  struct Piece {
    int first = 1, count = 0;    // numbers of its frames
    std::string recipe;          // hash of all that decides it
    std::filesystem::path file;  // named by that
    bool there = false, failed = false;
    bool ours = true;  // to be made here
  };
  FilmFile(const FilmSettings& how, const FilmFacts& facts, const ExportPlan& plan, bool overwrite);
  Result<void> check_place(const Originals& originals);
  Result<void> take_parts_folder(const Originals& originals);
  void take_from_old_film(const Manifest& manifest);
  std::size_t piece_of(int number) const;
  int frame_count() const;  // of all of the film, whoever makes them
  std::string film_recipe() const;
  void encode(Piece& piece, int number, const YCbCr& picture, const std::string& sources);
  void fails(const std::string& why);
  Result<void> join(const Work& work);
  Manifest made(const StagedFile& file, const std::string& sum,
                const std::vector<std::string>& sources) const;

  const FilmSettings how_;
  const FilmFacts facts_;
  const int part_;
  const bool overwrite_;
  bool finished_already_ = false;
  std::optional<SoundTrack> sound_;
  std::string sound_sum_;
  std::map<int, FilmFrameMade> made_before_;  // what a film of this name was made from, by number
  std::optional<FolderLock> lock_;
  std::vector<Piece> pieces_;
  std::optional<SegmentEncoder> encoder_;
  FilmReport report_;
  std::atomic<bool> broken_{false};
};

}  // namespace tsukimi
