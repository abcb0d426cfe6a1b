// SPDX-License-Identifier: GPL-3.0-or-later
// Trails in a pass: of each size what the frames so far have left, kept in the cache now and then
// so that a pass that was broken off goes on with the same bits.
#pragma once

#include <span>

#include "film/trails.h"
#include "output/develop_pass.h"

namespace tsukimi {

class TrailRun {
 public:
  explicit TrailRun(std::span<const Route> routes);

  // All frames in the order in which trails grow: those of the plan's lead, then its frames.
  std::size_t count() const { return lead_ + frames_; }
  const PlannedFrame& at(std::size_t route, std::size_t place) const;
  bool is_lead(std::size_t place) const { return place < lead_; }
  std::size_t index(std::size_t place) const;  // in the plan's frames; place is no lead
  std::size_t place(std::size_t index) const;

  // Where to begin so that the trail of the frame at `place` is whole: behind what is kept.
  std::size_t go_on_before(std::size_t place);

  // A frame with its trail. recipe: that frame's, with what was read for it.
  Image show(std::size_t route, Image picture, const FilmRecipe& recipe);
  void miss(std::size_t place);
  // After a frame: keeps what is needed to go on from there.
  void keep(std::size_t place);
  // All is made: nothing is kept any more.
  void forget();
  void set_ground(std::size_t route, Image ground);

 private:
  std::filesystem::path file(std::size_t route, std::size_t place) const;
  std::span<const Route> routes_;
  std::size_t lead_, frames_;
  bool falls_back_;
  std::vector<TrailState> states_;                        // of each route
  std::vector<std::vector<std::filesystem::path>> kept_;  // sets of files, oldest first
};

// Finished frames of a run that falls back, until those before them are there.
class Scratch {
 public:
  explicit Scratch(std::string name) : name_(std::move(name)) {}
  ~Scratch();
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  void put(std::size_t frame, Image picture);
  std::optional<Image> take(std::size_t frame);

 private:
  std::filesystem::path file(std::size_t frame) const;
  std::string name_;
  std::map<std::size_t, Image> in_memory_;  // where there is no cache, or no room in it
  std::map<std::size_t, Size> on_disk_;
};

}  // namespace tsukimi
