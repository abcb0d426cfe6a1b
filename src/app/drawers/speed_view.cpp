// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/speed_view.h"

#include <QPainter>
#include <algorithm>

#include "app/widgets/style.h"

namespace tsukimi::app {

SpeedView::SpeedView(QWidget* parent) : QWidget(parent) {
  setObjectName("speed");
  setAccessibleName(QObject::tr("Speed of the glide"));
  setToolTip(QObject::tr("How fast the glide is seen to move: even is flat, at rest is nothing"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QSize SpeedView::sizeHint() const { return {120, text_px(52)}; }

void SpeedView::set_speeds(std::vector<double> speeds) {
  speeds_ = std::move(speeds);
  most_ = speeds_.empty() ? 0 : *std::ranges::max_element(speeds_);
  update();
}

void SpeedView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(colour::text);
  p.drawText(QRectF(0, 0, width(), text_px(18)), Qt::AlignLeft | Qt::AlignVCenter,
             QObject::tr("Speed"));
  p.setPen(colour::quiet);
  p.drawText(QRectF(0, 0, width(), text_px(18)), Qt::AlignRight | Qt::AlignVCenter,
             most_ > 0 ? QObject::tr("up to %1 % of the width a second").arg(most_, 0, 'f', 1)
                       : QObject::tr("it stands still"));
  const QRectF r(0, text_px(20), width(), height() - text_px(20) - 1);
  p.fillRect(r, colour::ground);
  if (speeds_.size() < 2) return;
  auto x_of = [&](double frame) {
    return r.left() + frame / (static_cast<double>(speeds_.size()) - 1) * r.width();
  };
  if (most_ > 0) {
    QPolygonF curve;
    curve << r.bottomLeft();
    for (std::size_t i = 0; i < speeds_.size(); ++i)
      curve << QPointF(x_of(static_cast<double>(i)),
                       r.bottom() - speeds_[i] / most_ * (r.height() - 3));
    curve << r.bottomRight();
    QColor fill = colour::moon;
    fill.setAlphaF(0.22f);
    p.setBrush(fill);
    p.setPen(QPen(colour::moon, 1.2));
    p.drawPolygon(curve);
  }
  p.setPen(QPen(colour::text, 1));
  const double here = x_of(playhead_);
  p.drawLine(QPointF(here, r.top()), QPointF(here, r.bottom()));
}

}  // namespace tsukimi::app
