// SPDX-License-Identifier: GPL-3.0-or-later
// Deflicker: taking frame-to-frame brightness noise out while the evening still falls.
//
// The goal g is the Whittaker smoother of the measured brightness m (see banded.h). A frame that
// stands apart from its nearest neighbours weighs little (isolated_frames), so that a lightning
// flash does not drag them; a dip of many frames is real and stays. The control is P, the shortest
// change that is kept, in frames: lambda = (2 sin(pi/P))^-4. The correction g - m is held to a
// limit.
#pragma once

#include <vector>

#include "camera/frame_id.h"
#include "light/uneven.h"
#include "measure/steady_area.h"

namespace tsukimi {

// An event (lightning, a lamp that passes) of which a share is taken out where it shines.
struct SoftenedEvent {
  FrameId frame = FrameId::none;
  double share = 0.5;  // 0..1
  bool operator==(const SoftenedEvent&) const = default;
};

struct DeflickerSettings {
  bool on = false;
  double period = 24;                  // P, frames, 3..400
  double limit = 0.7;                  // stops, largest correction of one frame
  std::vector<SteadyArea> areas = {};  // none: the whole picture
  Uneven uneven = Uneven::automatic, colour = Uneven::automatic;  // bands and parts; colours
  std::vector<SoftenedEvent> softened = {};                       // ascending by frame
  bool operator==(const DeflickerSettings&) const = default;
};

struct DeflickerResult {
  std::vector<double> goal, correction;  // stops per frame
  std::vector<double> weight;            // 0: an isolated frame, or not measured
  double before_percent = 0;             // RMS of what is faster than P, in percent of light
  double largest_correction = 0;         // stops, magnitude
  int largest_at = -1;
  std::vector<int> limited;  // frames whose correction met the limit
  bool held = false;         // hold_back() was called
};

// axis: place of each frame in time, in intervals. brightness: after levelling, NaN where unknown
// (such frames get no correction). agreement: of each frame (Flicker); where kSure or more of the
// picture's steady weight agree no limit holds, where hardly any does nothing is corrected. Empty:
// not known.
constexpr double kSure = 0.75;
DeflickerResult deflicker(const std::vector<double>& axis, const std::vector<double>& brightness,
                          const DeflickerSettings& settings,
                          const std::vector<double>& agreement = {});

// Corrects nothing any more but frames that stand apart from their neighbours in nearly all of the
// picture. agreement: as above.
void hold_back(DeflickerResult& result, const std::vector<double>& agreement);

}  // namespace tsukimi
