// SPDX-License-Identifier: GPL-3.0-or-later
// Brightness over time: as shot, the goal of deflicker, and developed; behind them, when wanted,
// tones over time: a column a frame, from black below to white above, what is lost in coral at the
// edges.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class LightLane : public Lane {
 public:
  explicit LightLane(Session& session) : Lane("Light", 70, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;

 private:
  std::vector<double> developed() const;
  void paint_tones(QPainter& p, const QRectF& r, const TimeScale& scale) const;
};

}  // namespace tsukimi::app
