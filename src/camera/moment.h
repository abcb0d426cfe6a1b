// SPDX-License-Identifier: GPL-3.0-or-later
// Reading a frame of the shoot: a single shot, or several that are merged.
#pragma once

#include <vector>

#include "camera/frame_info.h"
#include "camera/merge.h"
#include "camera/sensor_frame.h"

namespace tsukimi {

// Of each of a frame's others: by how many stops it is brighter than the frame, as its exposure
// says (exact_gain); NaN where the metadata do not tell.
std::vector<float> told_stops(const FrameInfo& frame);

// The frame in sensor light. by: what it is merged by; without stops all is measured in the shots
// (stops where that can be and is near to what they say). measured: what was measured in them; what
// moved as it was found, not widened. Fails like read_frame, by the first file that fails.
Result<SensorFrame> read_moment(const std::filesystem::path& folder, const FrameInfo& frame,
                                Wanted wanted, const MergeInfo& by = {},
                                MergeInfo* measured = nullptr);

}  // namespace tsukimi
