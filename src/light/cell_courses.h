// SPDX-License-Identifier: GPL-3.0-or-later
// The cells that are known in most frames, side by side for each frame: their light without the
// camera's gain, the course that each has of its own, and what is taken for it where it is not
// known or does not agree with what the frame does.
#pragma once

#include <functional>
#include <vector>

#include "base/banded.h"
#include "measure/cell_light.h"

namespace tsukimi {

class CellCourses {
 public:
  // axis: place of each frame in time, in intervals; it must live as long. stair: stops of each
  // frame that are taken off.
  CellCourses(const CellLight& light, const std::vector<double>& axis,
              const std::vector<double>& stair);

  int frames() const { return frames_; }
  int count() const { return count_; }
  // What a cell has in a frame beyond its own course, stops; that course.
  float beyond(int f, int k) const { return given_[at(f) + k] - own_[at(f) + k]; }
  float own(int f, int k) const { return own_[at(f) + k]; }
  bool known(int f, int k) const { return known_[at(f) + k]; }
  float steady(int k) const { return steady_[k]; }  // its weight: 1 / scale^2, scale in stops
  bool whole(int k) const { return whole_[k]; }     // known in nearly all frames
  // From how far on it takes no part, stops.
  float reach(int k) const { return reach_[k]; }
  // Of a frame in memory, a whole number of lanes; those from count() on are none.
  std::size_t row() const { return row_; }
  // Which of the grid's it is.
  int cell(int k) const { return cells_[k]; }
  const std::vector<int>& cells() const { return cells_; }

  // The cells' own courses: Whittaker's smoother through what is filled. weight: of frames. period:
  // what is slower is a cell's own, frames.
  static constexpr double kCoursePeriod = 20;
  void smooth(const std::vector<double>& weight, double period = kCoursePeriod);
  // How steady each cell is: the robust scatter over time of what it has beyond its neighbours, so
  // that flicker of the frame, or of a large part of it, makes none unsteady.
  void find_scales();
  // What does not agree with what a frame's cells have in common counts as the cell's own course
  // has it. common(f, out): of every cell in a frame, stops; called from several threads.
  void fill_apart(const std::function<void(int f, float* out)>& common);

 private:
  static constexpr int kLanes = BandedSystem::kLanes;

  std::size_t at(int f) const { return static_cast<std::size_t>(f) * row_; }
  template <typename Fn>
  void in_lanes(const Fn& fn) const;
  void choose(const CellLight& light);
  void fill_unknown();

  int frames_, count_ = 0;
  std::size_t row_ = 0;  // cells of a frame, up to a whole number of lanes
  const std::vector<double>& axis_;
  std::vector<int> cells_;               // their places in the grid
  std::vector<std::vector<int>> round_;  // neighbours of each, as numbers of this list
  std::vector<char> whole_, known_;
  std::vector<float> given_, filled_, own_, steady_, reach_;
};

}  // namespace tsukimi
