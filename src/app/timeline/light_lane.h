// Brightness over time: as shot, the goal of deflicker, and developed.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class LightLane : public Lane {
 public:
  explicit LightLane(Session& session) : Lane("Light", 70, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;

 private:
  std::vector<double> developed() const;
};

}  // namespace tsukimi::app
