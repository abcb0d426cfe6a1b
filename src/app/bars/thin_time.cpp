// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bars/thin_time.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

ThinTime::ThinTime(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("thin_time");
  setFixedHeight(7);
  session_.on_change(this, [this] { update(); });
}

void ThinTime::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), Qt::black);
  if (!session_.document.is_open()) return;
  const double last = std::max(1, session_.document.shoot().frame_count() - 1);
  auto x_of = [&](double frame) { return frame / last * (width() - 1); };
  const auto [in, out] = film_range(session_.document.shoot());
  p.fillRect(QRectF(x_of(in), 3, x_of(out) - x_of(in) + 1, 1), colour::faint);
  p.fillRect(QRectF(x_of(in), 3, x_of(session_.playhead.frame()) - x_of(in), 1), colour::moon);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(colour::moon);
  p.drawEllipse(QPointF(x_of(session_.playhead.frame()) + 0.5, 3.5), 3, 3);
}

void ThinTime::go(double x) {
  if (!session_.document.is_open()) return;
  session_.playhead.set_frame(static_cast<int>(
      std::lround(x / std::max(1, width() - 1) * (session_.document.shoot().frame_count() - 1))));
}
void ThinTime::mousePressEvent(QMouseEvent* e) { go(e->position().x()); }
void ThinTime::mouseMoveEvent(QMouseEvent* e) { go(e->position().x()); }

}  // namespace tsukimi::app
