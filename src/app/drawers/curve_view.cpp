// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/curve_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "app/drawers/histogram_view.h"
#include "app/widgets/style.h"
#include "develop/tone_curve.h"

namespace tsukimi::app {
namespace {
constexpr int kLast = kCurvePoints + 1;  // white
const QColor kInks[kCurves] = {colour::moon, colour::channels[0], colour::channels[1],
                               colour::channels[2]};
}  // namespace

CurveView::CurveView(Session& session, Preview& preview, PictureView& picture, QWidget* parent)
    : QWidget(parent), session_(session), preview_(preview), picture_(picture) {
  setObjectName("curve");
  setAccessibleName(tr("Tone curve"));
  setFocusPolicy(Qt::StrongFocus);
  setMinimumHeight(104);
  connect(&picture_.shown(), &ShownPicture::picture_changed, this, qOverload<>(&QWidget::update));
  connect(&preview_, &Preview::ready, this, qOverload<>(&QWidget::update));
  setToolTip(tr("Drag a point. Across: light as it comes; up: light as it is shown."));
}

QRectF CurveView::field() const { return QRectF(rect()).adjusted(8, 8, -8, -8); }

void CurveView::set_curve(int curve) {
  curve_ = curve;
  update();
  emit picked();
}

void CurveView::pick(int point) {
  point_ = point;
  update();
  emit picked();
}

QPointF CurveView::place_of(int point) const {
  const auto& course = session_.document.course();
  const int frame = session_.playhead.frame();
  auto value = [&](int number) { return course.at(curve_param(curve_, number), frame) / 100; };
  const double x = point == 0 ? 0 : point == kLast ? 1 : value(2 * point - 1);
  const double y = point == 0       ? value(0)
                   : point == kLast ? value(kCurveNumbers - 1)
                                    : value(2 * point);
  const QRectF f = field();
  return {f.left() + x * f.width(), f.bottom() - y * f.height()};
}

void CurveView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF f = field();
  p.fillRect(rect(), colour::ground);
  p.setPen(QPen(QColor(0x2e, 0x2e, 0x2f), 1));
  for (int i = 0; i <= 4; ++i) {
    p.drawLine(QPointF(f.left() + i * f.width() / 4, f.top()),
               QPointF(f.left() + i * f.width() / 4, f.bottom()));
    p.drawLine(QPointF(f.left(), f.top() + i * f.height() / 4),
               QPointF(f.right(), f.top() + i * f.height() / 4));
  }
  if (hasFocus()) {
    p.setPen(QPen(colour::moon, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
  }
  if (!session_.document.is_open()) return;
  const int frame = session_.playhead.frame();
  // Behind it the light as it comes to the curve.
  if (const auto tones = preview_.get(frame, Rendering::before_curve).tones) {
    const auto channel =
        curve_ ? static_cast<Histogram::Channel>(curve_ - 1) : Histogram::brightness;
    fill_tones(p, f, tones_path(f, *tones, channel, most_of(*tones)), QColor(0xe9, 0xe7, 0xe1, 46));
  }
  const Look look = session_.document.course().at(frame);
  auto draw = [&](int curve, double width, double opacity) {
    const ToneCurve c(look, curve);
    QPainterPath path;
    for (int i = 0; i <= 100; ++i) {
      const double x = i / 100.0, y = std::clamp(c.at(x), -0.05, 1.05);
      const QPointF at(f.left() + x * f.width(), f.bottom() - y * f.height());
      i ? path.lineTo(at) : path.moveTo(at);
    }
    p.setOpacity(opacity);
    p.setPen(QPen(kInks[curve], width));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);
    p.setOpacity(1);
  };
  for (int c = 0; c < kCurves; ++c)
    if (c != curve_ && ToneCurve(look, c).changes()) draw(c, 1, 0.5);
  draw(curve_, 1.8, 1);
  // What comes out of it, lost at both ends.
  if (const auto shown = picture_.shown().picture().tones) {
    QFont small = font();
    small.setPixelSize(text_px(10));
    p.setFont(small);
    auto share = [&](const char* word, double of, double up) {
      p.setPen(of > kWorthALook ? colour::coral : colour::quiet);
      p.drawText(f.adjusted(0, 0, -4, -up), Qt::AlignBottom | Qt::AlignRight, share_text(word, of));
    };
    share("clipped", shown->clipped, 17);
    share("black", shown->black, 4);
  }
  for (int i = 0; i <= kLast; ++i) {
    const bool here = i == point_;
    p.setPen(QPen(here ? colour::text : colour::ground, 1.4));
    p.setBrush(kInks[curve_]);
    p.drawEllipse(place_of(i), here ? 6 : 4.5, here ? 6 : 4.5);
  }
}

void CurveView::keyPressEvent(QKeyEvent* e) {
  const int by = e->key() == Qt::Key_Up ? 1 : e->key() == Qt::Key_Down ? -1 : 0;
  if (by == 0) return QWidget::keyPressEvent(e);
  pick((point_ + by + kLast + 1) % (kLast + 1));
}

void CurveView::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open()) return;
  int nearest = 0;
  double least = 1e9;
  for (int i = 0; i <= kLast; ++i) {
    const QPointF d = place_of(i) - e->position();
    const double away = d.x() * d.x() + d.y() * d.y();
    if (away < least) least = away, nearest = i;
  }
  if (least > 20 * 20) return;
  pick(nearest);
  dragging_ = true;
  ++serial_;
}

void CurveView::mouseMoveEvent(QMouseEvent* e) {
  if (!dragging_) return;
  const QRectF f = field();
  const double x = std::clamp((e->position().x() - f.left()) / f.width(), 0.0, 1.0) * 100,
               y = std::clamp((f.bottom() - e->position().y()) / f.height(), 0.0, 1.0) * 100;
  if (point_ == 0 || point_ == kLast) {
    emit dragged(curve_param(curve_, point_ == 0 ? 0 : kCurveNumbers - 1), y, serial_);
    return;
  }
  emit dragged(curve_param(curve_, 2 * point_ - 1), x, serial_);
  emit dragged(curve_param(curve_, 2 * point_), y, serial_);
}

}  // namespace tsukimi::app
