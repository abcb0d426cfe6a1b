// Where the picture lies in its widget: what tools draw on and are dragged on.
#pragma once

#include <QPainter>

#include "framing/geometry.h"

namespace tsukimi::app {

struct Canvas {
  QRectF target;  // where the visible part of the frame lies, in the widget
  QRectF part;    // that part, in fractions of the frame

  QPointF to_frame(QPointF p) const {
    return {part.x() + (p.x() - target.x()) / target.width() * part.width(),
            part.y() + (p.y() - target.y()) / target.height() * part.height()};
  }
  QPointF at(double x, double y) const { return to_widget(Rect{x, y, 0, 0}).topLeft(); }
  double frame_width() const { return target.width() / part.width(); }  // in the widget
  double frame_height() const { return target.height() / part.height(); }
  QRectF to_widget(const Rect& r) const {
    return {target.x() + (r.x - part.x()) / part.width() * target.width(),
            target.y() + (r.y - part.y()) / part.height() * target.height(),
            r.w / part.width() * target.width(), r.h / part.height() * target.height()};
  }
};

// Words on the picture, on a dark plate; with attention, a mark at its left.
QSizeF plate_size(const QPainter& p, const QString& text);
void paint_plate(QPainter& p, QPointF top_left, const QString& text, bool attention);

}  // namespace tsukimi::app
