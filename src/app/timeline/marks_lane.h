// What is to be known of single frames: gaps, frames set aside or unusable, suspects, key frames.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class MarksLane : public Lane {
 public:
  explicit MarksLane(Session& session) : Lane("Marks", 26, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
  // The key frame that stands at the playhead, above the others.
  void paint_here(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
};

}  // namespace tsukimi::app
