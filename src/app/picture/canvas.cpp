#include "app/picture/canvas.h"

#include "app/widgets/style.h"

namespace tsukimi::app {

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
