// SPDX-License-Identifier: GPL-3.0-or-later
// Reading a frame of the shoot: a single shot, or several that are merged.
#pragma once

#include <vector>

#include "camera/frame_info.h"
#include "camera/merge.h"
#include "camera/sensor_frame.h"

namespace tsukimi {

// By how many stops a shot is brighter than another, as their exposures say; NaN where one of them
// tells no shutter, or tells more than the other (a lens without contacts tells no aperture on any
// shot, which does no harm).
double stops_apart(const FrameInfo& shot, const FrameInfo& other);

// The same of each of a frame's others against the frame's own shot.
std::vector<float> told_stops(const FrameInfo& frame);

// The frame in sensor light. by: what it is merged by; without stops all is measured in the shots
// (stops where that can be and is near to what they say). measured: what was measured in them; what
// moved as it was found, not widened. Fails like read_frame, by the first file that fails.
Result<SensorFrame> read_moment(const std::filesystem::path& folder, const FrameInfo& frame,
                                Wanted wanted, const MergeInfo& by = {},
                                MergeInfo* measured = nullptr);

}  // namespace tsukimi
