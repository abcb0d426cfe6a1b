// SPDX-License-Identifier: GPL-3.0-or-later
// Values that run through key frames: those of the look, of a place, of a shape, of a spot.
#pragma once

#include <functional>

#include "adjust/interpolate.h"
#include "adjust/parameters.h"
#include "camera/frame_id.h"

namespace tsukimi {

struct KeyFrame {
  FrameId frame = FrameId::none;
  Values values;
  Easing easing = Easing::smooth;
  bool operator==(const KeyFrame&) const = default;
};

struct KeyedValues {
  Kind kind = kLook;
  std::vector<KeyFrame> keys;                 // ascending by id; none: they stand at their presets
  const KeyFrame* find(FrameId frame) const;  // nullptr: none there
  // Makes one with these values where there is none.
  KeyFrame& at(FrameId frame, const Values& otherwise);
  void remove(FrameId frame);
  bool operator==(const KeyedValues&) const = default;
};

// All values of one of them over all frames, over capture time.
class Course {
 public:
  // Without key frames all is as `otherwise` says. axis: where each frame lies in time
  // (time_axis()); places: of the frames, by their ids.
  Course(const KeyedValues& keyed, Values otherwise, std::vector<double> axis,
         const std::vector<int>& places);
  Values at(int frame) const;
  double at(Param p, int frame) const { return at_place(p, place(frame)); }
  double at_place(Param p, double place) const;  // on the axis, also between frames
  double place(int frame) const { return axis_[static_cast<std::size_t>(frame)]; }  // intervals

 private:
  Values constant_;
  std::vector<double> axis_;
  std::vector<MonotoneCurve> curves_;  // empty without key frames
};

// Its key frames at other frames; those for which `to` gives none go.
void move_keys(KeyedValues& keyed, const std::function<FrameId(FrameId)>& to);

// Moves a value at all key frames by what it takes to make `from` into `to`, on its scale.
void move_all(KeyedValues& keyed, Param p, double from, double to);

}  // namespace tsukimi
