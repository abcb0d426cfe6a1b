// SPDX-License-Identifier: GPL-3.0-or-later
// Levelling: taking the camera's exposure steps out of a day-to-night sequence.
//
// Brightness as shot is m_i = g_i + H_i + e_i: g smooth scene light, H the stair of camera gain, e
// flicker and outliers. The gain of a camera setting (shutter, ISO, aperture) is
//     H = exact gain of the setting + delta(setting),
// with the deviations delta measured from the picture under a prior: sigma 0.015 EV where shutter
// and ISO are standard thirds of a stop (both are timed electronically), 0.04 EV where the aperture
// is not the usual one (blades miss their mark), 0.08 EV where the numbers are not thirds. A
// setting whose numbers are not told is one of its own whose deviation is free; where no frame's
// are, steps are looked for in brightness itself (find_steps.h), and are as good as odd numbers.
// Measuring per setting, not per step, means that a setting that comes back has the same gain, and
// small errors cannot add up over thirty steps. Solved by iteratively reweighted least squares
// (Tukey): g is a banded system, the few deltas are eliminated by their Schur complement.
//
// The correction replaces the stair by a smooth ramp R through the middle of every riser
// (settings that last only a frame or two and return do not bend it, nor does shutter traded for
// ISO), smoothed over 40 frames so that uneven risers do not pulse:
//     c_i = R_i - H_i - alpha (R_i - R_0)
// alpha = 0 keeps the brightness that the photographer's stepping was meant to hold; 1 shows the
// light as it truly fell. Who wants an evening of their own adds to that a curve through handles.
#pragma once

#include <string>
#include <vector>

#include "base/table.h"
#include "camera/frame_info.h"

namespace tsukimi {

// Which of a step's sizes is taken out. ignored: none, it stays as if the light had done it.
enum class StepUse { measured, nominal, by_hand, ignored };
constexpr Words<StepUse> kStepUses{{{StepUse::measured, "measured"},
                                    {StepUse::nominal, "nominal"},
                                    {StepUse::by_hand, "by_hand"},
                                    {StepUse::ignored, "ignored"}}};
struct StepChoice {
  FrameId frame = FrameId::none;  // the first one with the new setting
  StepUse use = StepUse::measured;
  double stops = 0;  // by hand
  bool operator==(const StepChoice&) const = default;
};

// How much brighter the film is there than levelling makes it.
struct EveningHandle {
  FrameId frame = FrameId::none;
  double stops = 0;
  bool operator==(const EveningHandle&) const = default;
};

struct LevelSettings {
  bool on = false;
  double follow_light = 0;  // alpha, 0..1
  bool find_steps = true;   // in the picture, where no frame's metadata tell the exposure
  std::vector<StepChoice> choices = {};     // ascending by frame; other steps are as measured
  std::vector<EveningHandle> evening = {};  // ascending by frame; none: nothing is added
  bool operator==(const LevelSettings&) const = default;
};

struct LevelStep {
  int at = 0;           // first frame with the new setting
  double nominal = 0;   // stops, from the metadata; found in the picture: to a third
  double measured = 0;  // stops, from the picture
  StepUse use = StepUse::measured;
  double taken = 0;  // stops that are taken out
};

struct LevelResult {
  std::vector<double> correction;  // stops per frame
  std::vector<double> stair;       // H, as it is taken out
  std::vector<double> ramp;        // R
  std::vector<double> light;       // g: smooth scene light, up to a constant
  std::vector<double> evening;     // stops that the handles add
  // Summary
  std::vector<LevelStep> steps;
  bool found_in_picture = false;  // the steps, since the metadata tell none
  double largest_correction = 0;  // stops, magnitude
  double scatter = 0;             // robust sigma of m - g - H, stops
  std::vector<int> beyond_data;   // frames darkened although much of them is clipped
};

// axis: place of each frame in time, in intervals (time_axis). brightness: NaN where unknown; such
// frames are corrected too, by the gain of their setting.
// clipped: share of clipped picture per frame. All of one length.
LevelResult level(const std::vector<FrameInfo>& frames, const std::vector<double>& axis,
                  const std::vector<double>& brightness, const std::vector<double>& clipped,
                  const LevelSettings& settings);

}  // namespace tsukimi
