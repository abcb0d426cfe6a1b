// SPDX-License-Identifier: GPL-3.0-or-later
// Where the picture lies in its widget: what tools draw on and are dragged on.
#pragma once

#include <QPainter>

#include "framing/placement.h"

namespace tsukimi::app {

struct Canvas {
  QRectF target;      // in the widget
  Placement shown;    // what of the frame lies there
  double aspect = 1;  // width over height of the frame

  // Frame: in fractions of its width and height.
  QPointF to_frame(QPointF p) const;
  QPointF at(double x, double y) const;  // of the frame, in the widget
  QTransform from_frame() const;
  // Of what is not turned.
  QRectF to_widget(const Rect& r) const { return {at(r.x, r.y), at(r.x + r.w, r.y + r.h)}; }
  double frame_width() const;  // in the widget
  double frame_height() const { return frame_width() / aspect; }
  double turned() const;  // how the frame lies in the widget: degrees clockwise
};

// From fractions of the frame to where that part of it lies.
QTransform from_frame(const Placement& part, const QRectF& target);

// Words on the picture, on a dark plate; with attention, a mark at its left.
QSizeF plate_size(const QPainter& p, const QString& text);
void paint_plate(QPainter& p, QPointF top_left, const QString& text, bool attention);

}  // namespace tsukimi::app
