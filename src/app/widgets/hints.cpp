// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/hints.h"

#include <QEvent>
#include <QGridLayout>
#include <QPainter>
#include <QPainterPath>

#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {
constexpr int kTip = 10;  // px from the bubble to what it points at
}  // namespace

Hints::Hints(std::vector<Hint> hints, QWidget* window) : QWidget(window), hints_(std::move(hints)) {
  setObjectName("hints");
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(14 + kTip, 12 + kTip, 14 + kTip, 10 + kTip);
  words_ = new QLabel;
  words_->setWordWrap(true);
  words_->setFixedWidth(260);
  count_ = new QLabel;
  count_->setObjectName("quiet");
  next_ = new QPushButton;
  next_->setObjectName("next_hint");
  close_ = new QPushButton(tr("Close"));
  close_->setObjectName("close_hints");
  grid->addWidget(words_, 0, 0, 1, 3);
  grid->addWidget(count_, 1, 0);
  grid->addWidget(close_, 1, 1);
  grid->addWidget(next_, 1, 2);
  grid->setColumnStretch(0, 1);
  connect(next_, &QPushButton::clicked, this, [this] {
    if (shown_ + 1 < static_cast<int>(hints_.size())) return show_hint(shown_ + 1);
    emit over();
  });
  connect(close_, &QPushButton::clicked, this, &Hints::over);
  window->installEventFilter(this);
  show_hint(0);
  // What has just been opened is not laid out yet.
  QMetaObject::invokeMethod(this, &Hints::place, Qt::QueuedConnection);
}

void Hints::done_once() {
  if (shown_ == 0) show_hint(1);
}

void Hints::show_hint(int i) {
  shown_ = i;
  words_->setText(hints_[static_cast<std::size_t>(i)].words);
  count_->setText(tr("%1 of %2").arg(i + 1).arg(hints_.size()));
  next_->setText(i + 1 < static_cast<int>(hints_.size()) ? tr("Next") : tr("Begin"));
  place();
  show();
  raise();
}

// Beside what it points at: right of it where there is room, else above.
void Hints::place() {
  adjustSize();
  const QRect target = hints_[static_cast<std::size_t>(shown_)].at();
  const QSize window = parentWidget()->size();
  QPoint at(target.right() + 1, target.center().y() - height() / 2);
  bool right = at.x() + width() <= window.width();
  if (!right || target.width() > window.width() / 2) {
    right = false;
    at = {target.center().x() - width() / 2, target.top() - height()};
  }
  at.setX(std::clamp(at.x(), 0, std::max(0, window.width() - width())));
  at.setY(std::clamp(at.y(), 0, std::max(0, window.height() - height())));
  move(at);
  tip_ = right ? QPointF(0, target.center().y() - at.y())
               : QPointF(target.center().x() - at.x(), height());
  update();
}

bool Hints::eventFilter(QObject* of, QEvent* e) {
  if (of == parentWidget() && (e->type() == QEvent::Resize || e->type() == QEvent::LayoutRequest) &&
      isVisible())
    place();
  return QWidget::eventFilter(of, e);
}

void Hints::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF body = QRectF(rect()).adjusted(kTip, kTip, -kTip, -kTip);
  QPainterPath path;
  path.addRoundedRect(body, 5, 5);
  QPainterPath tip;
  const QPointF base(std::clamp(tip_.x(), body.left() + 14, body.right() - 14),
                     std::clamp(tip_.y(), body.top() + 14, body.bottom() - 14));
  const bool side = tip_.x() <= 0;
  tip.moveTo(tip_);
  tip.lineTo(side ? QPointF(body.left(), base.y() - 8) : QPointF(base.x() - 8, body.bottom()));
  tip.lineTo(side ? QPointF(body.left(), base.y() + 8) : QPointF(base.x() + 8, body.bottom()));
  tip.closeSubpath();
  p.setPen(QPen(colour::moon, 1));
  p.setBrush(colour::raised);
  p.drawPath(path.united(tip));
}

}  // namespace tsukimi::app
