// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/moon.h"

#include <QPainterPath>

#include "app/widgets/style.h"

namespace tsukimi::app {

void paint_moon(QPainter& p, QPointF centre, double radius, Easing easing, const QColor& light,
                const QColor& rim) {
  const QRectF disc(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius);
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(rim);
  p.drawEllipse(disc.adjusted(-1.2, -1.2, 1.2, 1.2));
  if (easing == Easing::smooth) {
    p.setBrush(light);
    p.drawEllipse(disc);
  } else {
    // The dark side, and of what is lit the terminator bends out or not at all.
    p.setBrush(colour::ground);
    p.drawEllipse(disc);
    if (easing != Easing::hold) {
      QPainterPath lit(disc.topLeft() + QPointF(radius, 0));
      lit.arcTo(disc, 90, -180);  // the right rim, down
      if (easing == Easing::eased) {
        const QRectF terminator = disc.adjusted(0.5 * radius, 0, -0.5 * radius, 0);
        lit.arcTo(terminator, -90, 180);
      }
      lit.closeSubpath();
      p.setBrush(light);
      p.drawPath(lit);
    }
    p.setPen(QPen(light, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(disc.adjusted(0.6, 0.6, -0.6, -0.6));
  }
  p.restore();
}

EasingWords words_of(Easing easing) {
  switch (easing) {
    case Easing::smooth:
      return {QObject::tr("Smooth"), QObject::tr("runs through without a corner")};
    case Easing::straight:
      return {QObject::tr("Straight"), QObject::tr("runs evenly to and from its neighbours")};
    case Easing::eased:
      return {QObject::tr("Eased"), QObject::tr("comes to rest here")};
    case Easing::hold:
      return {QObject::tr("Hold"), QObject::tr("stays until the next key frame")};
  }
  return {};
}

QIcon icon_of(Easing easing) {
  QPixmap picture(32, 32);
  picture.setDevicePixelRatio(2);
  picture.fill(Qt::transparent);
  QPainter p(&picture);
  paint_moon(p, {8, 8}, 6, easing, colour::moon, Qt::transparent);
  return QIcon(picture);
}

}  // namespace tsukimi::app
