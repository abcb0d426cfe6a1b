// SPDX-License-Identifier: GPL-3.0-or-later
// The film, a bar between two ends that can be dragged, and what is to be known of single frames:
// gaps, frames set aside or unusable, suspects.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

class MarksLane : public Lane {
 public:
  explicit MarksLane(Session& session) : Lane("Film", 24, session) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
  bool press(QPointF at, const QRectF& r, const TimeScale& scale) override;
  void drag(QPointF at, const TimeScale& scale) override;
  QString tip(QPointF at, const QRectF& r, const TimeScale& scale) const override;
  Qt::CursorShape cursor(QPointF at, const QRectF& r, const TimeScale& scale) const override;

 private:
  enum class End { none, in, out };
  End end_at(QPointF at, const TimeScale& scale) const;

  End dragged_ = End::none;
  int serial_ = 0;
};

}  // namespace tsukimi::app
