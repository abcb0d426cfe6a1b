// SPDX-License-Identifier: GPL-3.0-or-later
// Key frames: each a small picture of its look and a moon whose phase is its easing. A click goes
// there, a drag takes it to another frame, the context menu has the rest.
#pragma once

#include "app/picture/preview.h"
#include "app/timeline/lane.h"

namespace tsukimi::app {

class KeysLane : public Lane {
 public:
  KeysLane(Session& session, Preview& preview) : Lane("Keys", 36, session), preview_(preview) {}
  void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
  // The key frame at the playhead stands above the others, and what is proposed.
  void paint_here(QPainter& p, const QRectF& r, const TimeScale& scale) const override;
  bool press(QPointF at, const QRectF& r, const TimeScale& scale) override;
  void drag(QPointF at, const TimeScale& scale) override;
  bool menu(QPointF at, QPoint on_screen, const QRectF& r, const TimeScale& scale) override;
  QString tip(QPointF at, const QRectF& r, const TimeScale& scale) const override;
  Qt::CursorShape cursor(QPointF at, const QRectF& r, const TimeScale& scale) const override;

 private:
  void paint_key(QPainter& p, const QRectF& r, const TimeScale& scale, int frame, bool here) const;
  // The key frame whose picture or moon lies there; the moon's counts first, -1: none.
  int key_at(QPointF at, const QRectF& r, const TimeScale& scale) const;

  Preview& preview_;
  int dragged_ = -1, serial_ = 0;
  double from_ = 0;  // x of the press
};

}  // namespace tsukimi::app
