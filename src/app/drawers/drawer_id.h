// SPDX-License-Identifier: GPL-3.0-or-later
// The drawers of the rail, in working order.
#pragma once

#include "base/table.h"

namespace tsukimi::app {

enum class DrawerId {
  sequence,
  stack,
  look,
  steps,
  flicker,
  places,
  repairs,
  framing,
  pace,
  exports
};

constexpr Words<DrawerId> kDrawerIcons{{{DrawerId::sequence, "sequence"},
                                        {DrawerId::stack, "stack"},
                                        {DrawerId::look, "look"},
                                        {DrawerId::steps, "steps"},
                                        {DrawerId::flicker, "flicker"},
                                        {DrawerId::places, "places"},
                                        {DrawerId::repairs, "repairs"},
                                        {DrawerId::framing, "framing"},
                                        {DrawerId::pace, "pace"},
                                        {DrawerId::exports, "export"}}};

}  // namespace tsukimi::app
