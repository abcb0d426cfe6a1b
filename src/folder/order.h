// SPDX-License-Identifier: GPL-3.0-or-later
// In which order frames stand: by name, as the camera counted, or by capture time.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/table.h"
#include "camera/frame_info.h"

namespace tsukimi {

enum class FrameOrder { name, time };
constexpr Words<FrameOrder> kFrameOrders{{{FrameOrder::name, "name"}, {FrameOrder::time, "time"}}};

// Numbers inside names compare as numbers: IMG_9 < IMG_10. Upper and lower case are alike.
bool natural_less(const std::string& a, const std::string& b);

// The last number in a file's stem: the camera's counter.
std::optional<long> counter(const std::string& file);

// How many frames a camera's counter moved on from a to b, 1 for neighbours; a counter that goes
// from 9999 to 0001 (or 0000) went on by one. Empty when a name has no number.
std::optional<long> counted(const std::string& a, const std::string& b);

struct Ordering {
  bool wrapped = false;  // the counter passes 9999; the order by name takes that into account
  int backwards = 0;     // places where the order by name runs against the camera's clock
  bool all_same_time = false, some_without_time = false;
};

// Sorts by name or by capture time. By name: natural, but what was counted after 9999 follows it.
// By time: frames of one second keep their order by name, frames without a time stay behind the
// frame that precedes them by name. Says how the two orders agree.
Ordering sort_frames(std::vector<FrameInfo>& frames, FrameOrder order);

}  // namespace tsukimi
