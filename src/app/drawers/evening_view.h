// SPDX-License-Identifier: GPL-3.0-or-later
// How bright the film is over the sequence once its steps are levelled, with handles for those who
// want their own evening: a click makes one, a drag moves it, a double click takes it away.
#pragma once

#include <QWidget>

#include "app/state/session.h"

namespace tsukimi::app {

class EveningView : public QWidget {
  Q_OBJECT
 public:
  explicit EveningView(Session& session, QWidget* parent = nullptr);
  QSize sizeHint() const override;
  // Of the curve there, in the widget.
  QPointF point_at(int frame) const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override { handle_ = -1; }
  void mouseDoubleClickEvent(QMouseEvent*) override;
  bool event(QEvent*) override;

 private:
  QRectF field() const;
  double x_of(double frame) const;
  double y_of(double stops) const;
  int frame_at(double x) const;
  double per_stop() const;              // pixels
  int handle_near(QPointF at) const;    // its frame; -1: none
  std::vector<double> without() const;  // levelled brightness without the handles
  double added(int frame) const;        // by the handles, stops
  void find_range();

  Session& session_;
  double low_ = 0, high_ = 1;  // stops at the lower and upper edge
  int handle_ = -1;            // the frame of the one that is dragged
  double from_y_ = 0, from_stops_ = 0;
  int serial_ = 0;  // of drags
};

}  // namespace tsukimi::app
