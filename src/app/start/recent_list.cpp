// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/start/recent_list.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QLocale>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "app/convert/path_text.h"
#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {
constexpr int kWide = 252, kPicture = 150, kHigh = kPicture + 52, kGap = 18, kLeft = 44, kTop = 84;
}

RecentList::RecentList(Recent& recent, QWidget* parent) : QWidget(parent), recent_(recent) {
  setObjectName("recent_list");
  setAccessibleName(tr("Recent shoots"));
  setMouseTracking(true);
  setFocusPolicy(Qt::TabFocus);
  connect(&recent_, &Recent::changed, this, [this] {
    current_ = std::clamp(current_, 0, std::max(0, count() - 1));
    setMinimumHeight(sizeHint().height());
    update();
  });
}

int RecentList::across() const {
  return std::max(1, (width() - 2 * kLeft + kGap) / (kWide + kGap));
}

QRect RecentList::place(int index) const {
  return {kLeft + index % across() * (kWide + kGap), kTop + index / across() * (kHigh + kGap),
          kWide, kHigh};
}

QSize RecentList::sizeHint() const {
  const int rows = (count() + across() - 1) / across();
  return {2 * kLeft + kWide, kTop + rows * (kHigh + kGap) + kGap};
}

void RecentList::resizeEvent(QResizeEvent*) { setMinimumHeight(sizeHint().height()); }

int RecentList::entry_at(QPoint p) const {
  for (int i = 0; i < count(); ++i)
    if (place(i).contains(p)) return i;
  return -1;
}

void RecentList::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), colour::ground);
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  QFont title = font();
  title.setPixelSize(text_px(15));
  title.setBold(true);
  p.setFont(title);
  p.setPen(colour::text);
  p.drawText(QPoint(kLeft, kTop - 28), tr("Recent shoots"));
  p.setFont(font());
  if (count() == 0) {
    p.setPen(colour::quiet);
    p.drawText(QPoint(kLeft, kTop), tr("What you open will stand here, with a picture of it."));
  }
  for (int i = 0; i < count(); ++i) paint_entry(p, i);
}

void RecentList::paint_entry(QPainter& p, int index) const {
  const RecentShoot& s = recent_.list()[static_cast<std::size_t>(index)];
  const QRect r = place(index), frame(r.left(), r.top(), r.width(), kPicture);
  const bool here = index == hover_ || (hasFocus() && index == current_);
  p.fillRect(frame, colour::panel);
  if (!s.picture.isNull() && !s.missing) {
    const QSizeF size =
        QSizeF(s.picture.size()).scaled(frame.size(), Qt::KeepAspectRatioByExpanding);
    p.save();
    p.setClipRect(frame);
    p.drawImage(QRectF(QPointF(frame.center()) - QPointF(size.width(), size.height()) / 2, size),
                s.picture);
    p.restore();
  } else if (s.missing) {
    p.fillRect(frame, QBrush(colour::line, Qt::BDiagPattern));
    p.setPen(colour::coral);
    p.drawText(frame, Qt::AlignCenter, tr("not there now"));
  }
  if (here) {
    p.setPen(QPen(colour::moon, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(frame).adjusted(0.75, 0.75, -0.75, -0.75));
  }
  const QFontMetrics& m = p.fontMetrics();
  p.setPen(s.missing ? colour::quiet : colour::text);
  p.drawText(QRect(r.left(), frame.bottom() + 8, r.width(), 18), Qt::AlignLeft | Qt::AlignVCenter,
             m.elidedText(s.name, Qt::ElideMiddle, r.width()));
  QString facts = s.frames == 1 ? tr("1 frame") : tr("%1 frames").arg(s.frames);
  if (s.shot.isValid()) facts += "  ·  " + QLocale().toString(s.shot, tr("d MMMM yyyy"));
  p.setPen(colour::quiet);
  p.drawText(QRect(r.left(), frame.bottom() + 26, r.width(), 18), Qt::AlignLeft | Qt::AlignVCenter,
             facts);
}

void RecentList::choose(int index) {
  if (index < 0 || index >= count()) return;
  const auto path =
      recent_.list()[static_cast<std::size_t>(index)].path;  // opening changes the list
  emit chosen(path);
}

void RecentList::mouseMoveEvent(QMouseEvent* e) {
  hover_ = entry_at(e->position().toPoint());
  setCursor(hover_ >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
  update();
}
void RecentList::leaveEvent(QEvent*) { hover_ = -1, update(); }

void RecentList::mousePressEvent(QMouseEvent* e) {
  if (e->button() == Qt::LeftButton) choose(entry_at(e->position().toPoint()));
}

void RecentList::contextMenuEvent(QContextMenuEvent* e) {
  const int index = e->reason() == QContextMenuEvent::Keyboard ? current_ : entry_at(e->pos());
  if (index < 0 || index >= count()) return;
  const auto path = recent_.list()[static_cast<std::size_t>(index)].path;
  auto* menu = new QMenu(this);
  menu->setAttribute(Qt::WA_DeleteOnClose);
  connect(menu->addAction(tr("Open")), &QAction::triggered, this,
          [this, path] { emit chosen(path); });
  connect(menu->addAction(tr("Take off this list")), &QAction::triggered, this,
          [this, path] { recent_.forget(path); });
  menu->popup(e->globalPos());
}

void RecentList::keyPressEvent(QKeyEvent* e) {
  const int step = e->key() == Qt::Key_Right  ? 1
                   : e->key() == Qt::Key_Left ? -1
                   : e->key() == Qt::Key_Down ? across()
                   : e->key() == Qt::Key_Up   ? -across()
                                              : 0;
  if (step) {
    current_ = std::clamp(current_ + step, 0, std::max(0, count() - 1));
    update();
  } else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter || e->key() == Qt::Key_Space) {
    choose(current_);
  } else {
    QWidget::keyPressEvent(e);
  }
}

bool RecentList::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(e);
    const int i = entry_at(help->pos());
    i < 0 ? QToolTip::hideText()
          : QToolTip::showText(help->globalPos(),
                               shown_path(recent_.list()[static_cast<std::size_t>(i)].path), this);
    return true;
  }
  return QWidget::event(e);
}

}  // namespace tsukimi::app
