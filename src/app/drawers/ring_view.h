// SPDX-License-Identifier: GPL-3.0-or-later
// The hue ring: hues as they come on the inner band, as they are shown on the outer one; six points
// stand between the bands and can be picked and moved round. Inside it lie the handles of the split
// tone: round to a hue, outwards to more of it.
#pragma once

#include <QImage>
#include <QWidget>

#include "app/state/session.h"

namespace tsukimi::app {

class RingView : public QWidget {
  Q_OBJECT
 public:
  static constexpr int kShadows = kRingPoints, kHighlights = kRingPoints + 1;  // points too
  explicit RingView(Session& session, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {250, 168}; }
  int point() const { return point_; }
  void pick(int point);
  QPointF place_of(int point) const;

 signals:
  void picked();
  void dragged(Param p, double value, int drag);  // of one drag several: they are one change

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;  // up and down: the points in turn
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override { dragging_ = false; }

 private:
  QPointF middle() const { return QRectF(rect()).center(); }
  void paint_split(QPainter& p, const Look& look, int handle) const;
  QPointF on_circle(double hue, double radius) const;

  Session& session_;
  int point_ = 0, serial_ = 0;
  bool dragging_ = false;
};

}  // namespace tsukimi::app
