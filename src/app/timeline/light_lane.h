// SPDX-License-Identifier: GPL-3.0-or-later
// Brightness over time: the camera's stair, as shot, the goal of deflicker, and developed; events,
// which are kept or softened; behind them, when wanted, tones over time: a column a frame, from
// black below to white above, what is lost in coral at the edges.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class LightLane : public Lane {
 public:
  explicit LightLane(Session& session) : Lane("Light", 70, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
  bool menu(QPointF at, QPoint on_screen, const QRectF& r, const TimeScale& scale) override;
  QString tip(QPointF at, const QRectF& r, const TimeScale& scale) const override;

 private:
  // The event whose mark is there; nullptr: none.
  const Suspect* event_at(QPointF at, const QRectF& r, const TimeScale& scale) const;
  void paint_events(QPainter& p, const QRectF& r, const TimeScale& scale) const;
  std::vector<double> stair(double low, double high) const;  // the camera's, in that range of stops
  std::vector<double> developed() const;
  void paint_tones(QPainter& p, const QRectF& r, const TimeScale& scale) const;
};

}  // namespace tsukimi::app
