// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/rail.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/widgets/style.h"

namespace tsukimi::app {

Rail::Rail(QWidget* parent) : QWidget(parent) {
  setObjectName("rail");
  setFixedWidth(text_px(62));
  setMouseTracking(true);
  setFocusPolicy(Qt::TabFocus);
}

void Rail::add(const QString& label, const QString& icon) {
  entries_.push_back({label, QIcon(icon), false});
}

void Rail::set_current(int index) {
  current_ = index;
  update();
}

void Rail::set_attention(int index, bool on) {
  entries_[index].attention = on;
  update();
}

void Rail::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), colour::ground);
  QFont f = font();
  f.setPixelSize(text_px(10));
  p.setFont(f);
  for (int i = 0; i < static_cast<int>(entries_.size()); ++i) {
    const QRect r = entry_rect(i);
    const bool here = i == current_;
    if (here) {
      p.fillRect(r, colour::panel);
      p.fillRect(QRect(r.left(), r.top(), 2, r.height()), colour::moon);
    } else if (i == hover_) {
      p.fillRect(r, QColor(0x21, 0x21, 0x22));
    }
    p.setOpacity(here ? 1 : 0.75);
    entries_[i].icon.paint(&p, QRect(r.center().x() - 11, r.top() + 9, 22, 22));
    p.setOpacity(1);
    p.setPen(here ? colour::text : colour::quiet);
    p.drawText(QRect(r.left(), r.top() + 34, r.width(), 16), Qt::AlignCenter, entries_[i].label);
    if (entries_[i].attention) {
      p.setPen(Qt::NoPen);
      p.setBrush(colour::coral);
      p.drawEllipse(QPointF(r.center().x() + 15, r.top() + 11), 3.5, 3.5);
    }
  }
  if (hasFocus()) {
    p.setPen(QPen(colour::moon, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(entry_rect(current_).adjusted(1, 1, -2, -2));
  }
}

void Rail::mousePressEvent(QMouseEvent* e) {
  for (int i = 0; i < static_cast<int>(entries_.size()); ++i)
    if (entry_rect(i).contains(e->position().toPoint())) emit chosen(i);
}

void Rail::mouseMoveEvent(QMouseEvent* e) {
  hover_ = -1;
  for (int i = 0; i < static_cast<int>(entries_.size()); ++i)
    if (entry_rect(i).contains(e->position().toPoint())) hover_ = i;
  update();
}

void Rail::leaveEvent(QEvent*) { hover_ = -1, update(); }

void Rail::keyPressEvent(QKeyEvent* e) {
  const int n = static_cast<int>(entries_.size());
  if (e->key() == Qt::Key_Down)
    emit chosen((current_ + 1) % n);
  else if (e->key() == Qt::Key_Up)
    emit chosen((current_ + n - 1) % n);
  else
    QWidget::keyPressEvent(e);
}

}  // namespace tsukimi::app
