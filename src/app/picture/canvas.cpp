// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/canvas.h"

#include "app/widgets/style.h"

#include <cmath>
#include <numbers>

namespace tsukimi::app {

QPointF Canvas::to_frame(QPointF p) const {
  const Point on =
      shown.at((p.x() - target.x()) / target.width(), (p.y() - target.y()) / target.height());
  return {on.x, on.y};
}

QPointF Canvas::at(double x, double y) const {
  if (!shown.is_turned()) {
    const Rect part = shown.part();
    return {target.x() + (x - part.x) / part.w * target.width(),
            target.y() + (y - part.y) / part.h * target.height()};
  }
  return from_frame().map(QPointF(x, y));
}

QTransform Canvas::from_frame() const { return app::from_frame(shown, target); }

double Canvas::frame_width() const {
  return target.width() / std::hypot(shown.right.x, shown.right.y / aspect);
}

double Canvas::turned() const {
  return -std::atan2(shown.right.y / aspect, shown.right.x) * 180 / std::numbers::pi;
}

QTransform from_frame(const Placement& part, const QRectF& target) {
  if (part.sky) {  // but for the lens's bend the sky's turn is a projection: of four corners all
    QPolygonF corners, on_screen;
    for (const auto& [u, v] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}}) {
      const Point at = part.at(u, v);
      corners << QPointF(at.x, at.y);
      on_screen << QPointF(target.x() + u * target.width(), target.y() + v * target.height());
    }
    QTransform out;
    return QTransform::quadToQuad(corners, on_screen, out) ? out : QTransform();
  }
  const QTransform to_frame(part.right.x, part.right.y, part.down.x, part.down.y, part.corner.x,
                            part.corner.y);
  return to_frame.inverted() *
         QTransform(target.width(), 0, 0, target.height(), target.x(), target.y());
}

QSizeF plate_size(const QPainter& p, const QString& text) {
  return QSizeF(p.fontMetrics().horizontalAdvance(text) + 16, 20);
}

void paint_plate(QPainter& p, QPointF at, const QString& text, bool attention) {
  const QRectF plate(at, plate_size(p, text));
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(27, 27, 28, 215));
  p.drawRect(plate);
  if (attention) p.fillRect(QRectF(plate.topLeft(), QSizeF(2, plate.height())), colour::coral);
  p.setPen(colour::text);
  p.drawText(plate, Qt::AlignCenter, text);
}

}  // namespace tsukimi::app
