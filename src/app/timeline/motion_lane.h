// SPDX-License-Identifier: GPL-3.0-or-later
// How the camera moved: across, down and turned, as it was measured, and the way that stays when it
// is steadied; where the tripod was knocked.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class MotionLane : public Lane {
 public:
  explicit MotionLane(Session& session) : Lane("Motion", 70, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
};

}  // namespace tsukimi::app
