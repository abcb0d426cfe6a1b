// The sink of a film: segments beside its future place, from which it goes on when it was cut off,
// joined when all of them are there.
#pragma once

#include <atomic>
#include <map>
#include <memory>
#include <optional>

#include "output/develop_pass.h"
#include "output/film_segment.h"
#include "output/folder_lock.h"
#include "output/join_film.h"

namespace tsukimi {

struct FilmReport {
  int total = 0, encoded = 0, kept = 0;  // frames; kept: in segments that were there already
  std::vector<std::string> problems;     // a sentence per frame that lacks, or what went wrong
  bool cancelled = false, finished = false;
};

class FilmFile : public Sink {
 public:
  // Takes `FILE.parts` beside the film for its segments. Fails, with nothing written, when the
  // settings are none, when the place is none of ours to write to, and, unless `overwrite` is set,
  // when another file is there already (ErrorCode::exists).
  static Result<std::unique_ptr<FilmFile>> open(const FilmSettings& how, const FilmFacts& facts,
                                                const std::filesystem::path& originals,
                                                const ExportPlan& plan, bool overwrite);

  bool has(int number) const override;
  Rest put(int number, const FilmRecipe& recipe, const Image& picture) override;
  void miss(int number, const Error& why) override;
  bool broken() const override { return broken_; }

  // Joins the segments when none lacks, and takes them away then.
  FilmReport finish(bool cancelled);

 private:
  struct Part {
    int first = 1, count = 0;    // numbers of its frames
    std::filesystem::path file;  // named by all that decides it
    bool there = false, failed = false;
  };
  FilmFile(const FilmSettings& how, const FilmFacts& facts, bool overwrite, FolderLock lock);
  Part& part_of(int number);
  void encode(Part& part, int number, const YCbCr& picture);
  void fails(const std::string& why);
  Result<void> join();

  const FilmSettings how_;
  const FilmFacts facts_;
  const bool overwrite_;
  std::optional<FolderLock> lock_;
  std::vector<Part> parts_;
  std::optional<SegmentEncoder> encoder_;
  FilmReport report_;
  std::atomic<bool> broken_{false};
};

}  // namespace tsukimi
