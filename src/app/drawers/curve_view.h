// SPDX-License-Identifier: GPL-3.0-or-later
// The tone curve as it stands at the playhead, over the light that comes to it: its points can be
// picked and dragged.
#pragma once

#include "app/picture/picture_view.h"

namespace tsukimi::app {

class CurveView : public QWidget {
  Q_OBJECT
 public:
  CurveView(Session& session, Preview& preview, PictureView& picture, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {250, 104}; }
  int curve() const { return curve_; }
  int point() const { return point_; }  // 0 black, 1.. points, last white
  void set_curve(int curve);
  void pick(int point);
  QPointF place_of(int point) const;  // in the widget

 signals:
  void picked();
  void dragged(Param p, double value, int drag);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;  // up and down: the points in turn
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override { dragging_ = false; }

 private:
  QRectF field() const;

  Session& session_;
  Preview& preview_;
  PictureView& picture_;
  int curve_ = 0, point_ = 2, serial_ = 0;
  bool dragging_ = false;
};

}  // namespace tsukimi::app
