// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails: frames of the film that keep the light of those before them where it is brighter.
#pragma once

#include "adjust/keyed_values.h"
#include "base/table.h"
#include "camera/frame_id.h"

namespace tsukimi {

// Trails that grow from the film's first frame on, or tails of a length that fade.
enum class TrailKind { none, grow, comet };
constexpr Words<TrailKind> kTrailKinds{
    {{TrailKind::none, "none"}, {TrailKind::grow, "grow"}, {TrailKind::comet, "comet"}}};
// What the length of a tail counts: frames of the film, or minutes of capture.
enum class TrailUnit { frames, minutes };
constexpr Words<TrailUnit> kTrailUnits{
    {{TrailUnit::frames, "frames"}, {TrailUnit::minutes, "minutes"}}};
// What is seen outside of the sky: the ground of each frame, of one, or the mean of several.
enum class TrailGround { each, frame, mean };
constexpr Words<TrailGround> kTrailGrounds{
    {{TrailGround::each, "each"}, {TrailGround::frame, "frame"}, {TrailGround::mean, "mean"}}};

constexpr int kMostEvery = 100, kFewestMean = 2, kMostMean = 200;

// Where trails run is the place that is the sky (LocalPlace::sky); without one, everywhere.
struct Trails {
  TrailKind kind = TrailKind::none;
  bool falls_back = false;  // the film begins with all of the trails, which become points
  TrailUnit unit = TrailUnit::frames;
  int every = 1;           // only every so many frames leave a trail
  bool close_gaps = true;  // between exposures, along each star's way
  bool keep_out = false;   // what is in one frame only: planes, satellites, flashes, hot pixels
  TrailGround ground = TrailGround::each;
  FrameId ground_frame = FrameId{0};
  int ground_mean = 16;             // frames
  KeyedValues values{kTrails, {}};  // of tails; none: the table's
  bool operator==(const Trails&) const = default;
};

}  // namespace tsukimi
