// SPDX-License-Identifier: GPL-3.0-or-later
// Which frame of a shoot: stays with it whatever order the frames are in, and whatever joins them.
// Numbers from 0; within one run of the program only. In files a frame is its place in the list.
#pragma once

namespace tsukimi {

enum class FrameId : int { none = -1 };

}  // namespace tsukimi
