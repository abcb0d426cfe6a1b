// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/seam.h"

#include <algorithm>
#include <cmath>

#include "app/widgets/style.h"

namespace tsukimi::app {

QRectF Seam::left_of(const Canvas& canvas) const {
  const QRectF& t = canvas.target;
  return {t.left(), t.top(), std::round(t.left() + place_ * t.width()) - t.left(), t.height()};
}

void Seam::paint(QPainter& p, const Canvas& canvas) {
  const QRectF& t = canvas.target;
  const double x = left_of(canvas).right();
  p.setPen(QPen(colour::moon, 1));
  p.drawLine(QPointF(x, t.top()), QPointF(x, t.bottom()));
  p.setBrush(colour::ground);
  p.setRenderHint(QPainter::Antialiasing);
  p.drawEllipse(QPointF(x, t.center().y()), 7, 7);
  const QString words[2] = {compare_.before(), compare_.after()};
  for (int side = 0; side < 2; ++side) {
    const double w = plate_size(p, words[side]).width();
    paint_plate(p, {side ? x + 8 : x - 8 - w, t.top() + 8}, words[side], false);
  }
}

bool Seam::press(QPointF at, const Canvas& canvas) {
  constexpr double kReach = 12;  // pixels
  return on && std::fabs(at.x() - (canvas.target.left() + place_ * canvas.target.width())) < kReach;
}

void Seam::drag(QPointF at, const Canvas& canvas) {
  place_ = std::clamp((at.x() - canvas.target.left()) / canvas.target.width(), 0.0, 1.0);
}

}  // namespace tsukimi::app
