#include "app/picture/crop_tool.h"

#include <QPainterPath>

#include "app/widgets/style.h"

namespace tsukimi::app {

void CropTool::paint(QPainter& p, const Canvas& canvas) {
  const QRectF box = canvas.to_widget(document_.decisions().framing.crop);
  QPainterPath shade, hole;
  shade.addRect(canvas.target);
  hole.addRect(box);
  p.fillPath(shade.subtracted(hole), QColor(20, 20, 20, 170));
  p.setPen(QPen(colour::moon, 1.4));
  p.setBrush(Qt::NoBrush);
  p.drawRect(box);
  p.setPen(QPen(QColor(240, 220, 154, 70), 1));
  for (int i = 1; i < 3; ++i) {
    const double x = box.left() + box.width() * i / 3, y = box.top() + box.height() * i / 3;
    p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()));
    p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y));
  }
}

bool CropTool::press(QPointF at, const Canvas&) {
  from_ = at;
  start_ = document_.decisions().framing.crop;
  ++serial_;
  return true;
}

void CropTool::drag(QPointF at, const Canvas& canvas) {
  const QPointF moved = canvas.to_frame(at) - canvas.to_frame(from_);
  const Rect crop = moved_inside(start_, start_.x + moved.x(), start_.y + moved.y());
  document_.edit(
      tr("Move crop"), [&](Shoot& s) { s.decisions.framing.crop = crop; },
      tr("crop %1").arg(serial_));
}

}  // namespace tsukimi::app
