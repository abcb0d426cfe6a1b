// SPDX-License-Identifier: GPL-3.0-or-later
// The camera's settings over time, as stairs with their values.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class CameraLane : public Lane {
 public:
  explicit CameraLane(Session& session) : Lane("Camera", 52, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
};

}  // namespace tsukimi::app
