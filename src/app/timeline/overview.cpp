// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/overview.h"

#include <QPainterPath>
#include <cmath>

#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {
constexpr double kGrip = 5;         // px on both sides of an end
constexpr double kFewestShown = 8;  // frames
}  // namespace

double Overview::frames() const { return std::max(1, session_.document.shoot().frame_count() - 1); }

TimeScale Overview::all(const QRectF& r) const {
  return {r.left() + kInset, r.width() - 2 * kInset, 0, frames()};
}

void Overview::paint(QPainter& p, const QRectF& r, const TimeScale& view) {
  const TimeScale scale = all(r);
  const double dpr = p.device()->devicePixelRatioF();
  const QSize pixels = (r.size() * dpr).toSize();
  if (drawn_.size() != pixels) {
    drawn_ = QPixmap(pixels);
    drawn_.setDevicePixelRatio(dpr);
    drawn_.fill(QColor(0x1f, 0x1f, 0x20));
    QPainter into(&drawn_);
    into.setRenderHint(QPainter::Antialiasing);
    into.translate(-r.topLeft());
    const auto& light = session_.light.plan().as_shot;
    double low = 1e9, high = -1e9;
    for (double v : light)
      if (!std::isnan(v)) low = std::min(low, v), high = std::max(high, v);
    QPainterPath path;
    const auto every =
        std::max<std::size_t>(1, light.size() / static_cast<std::size_t>(std::max(1.0, r.width())));
    for (std::size_t i = 0; i < light.size(); i += every) {
      if (std::isnan(light[i])) continue;
      const QPointF at(
          scale.x_of(static_cast<double>(i)),
          r.bottom() - 3 - (light[i] - low) / std::max(high - low, 0.5) * (r.height() - 6));
      path.elementCount() ? path.lineTo(at) : path.moveTo(at);
    }
    into.setPen(QPen(colour::faint, 1));
    into.drawPath(path);
    into.setPen(Qt::NoPen);
    into.setBrush(colour::moon);
    for (int key : session_.keys.frames())
      into.drawEllipse(QPointF(scale.x_of(key), r.center().y() + 0.5), 2, 2);
  }
  p.drawPixmap(r.topLeft(), drawn_);
  const double a = view.first <= 0 ? r.left() : scale.x_of(view.first),
               b = view.last >= frames() ? r.right() : scale.x_of(view.last);
  p.fillRect(QRectF(r.left(), r.top(), a - r.left(), r.height()), QColor(0, 0, 0, 120));
  p.fillRect(QRectF(b, r.top(), r.right() - b, r.height()), QColor(0, 0, 0, 120));
  p.setPen(QPen(colour::quiet, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(QRectF(a + 0.5, r.top() + 0.5, b - a - 1, r.height() - 1));
  p.fillRect(QRectF(a, r.top(), 3, r.height()), colour::quiet);
  p.fillRect(QRectF(b - 3, r.top(), 3, r.height()), colour::quiet);
  const double x = std::round(scale.x_of(session_.playhead.frame())) + 0.5;
  p.setPen(QPen(colour::moon, 1));
  p.drawLine(QPointF(x, r.top() + 1), QPointF(x, r.bottom() - 1));
}

Overview::Grip Overview::grip_at(double x, const QRectF& r, const TimeScale& view) const {
  const TimeScale scale = all(r);
  const double a = view.first <= 0 ? r.left() : scale.x_of(view.first),
               b = view.last >= frames() ? r.right() : scale.x_of(view.last);
  const bool wide = b - a > 4 * kGrip;
  if (wide && std::fabs(x - a) <= kGrip) return Grip::first;
  if (wide && std::fabs(x - b) <= kGrip) return Grip::last;
  return Grip::window;
}

Qt::CursorShape Overview::cursor(double x, const QRectF& r, const TimeScale& view) const {
  return grip_at(x, r, view) == Grip::window ? Qt::OpenHandCursor : Qt::SizeHorCursor;
}

void Overview::press(double x, const QRectF& r, const TimeScale& view) {
  grip_ = grip_at(x, r, view);
  first_ = view.first;
  last_ = view.last;
  from_ = all(r).frame_at(x);
  // Beside the window: it comes to the pointer.
  if (grip_ == Grip::window && (from_ < first_ || from_ > last_)) {
    const double by = from_ - (first_ + last_) / 2;
    const double held = std::clamp(by, -first_, frames() - last_);
    first_ += held;
    last_ += held;
  }
}

std::pair<double, double> Overview::drag(double x, const QRectF& r) const {
  const double by = all(r).frame_at(x) - from_, n = frames(), least = std::min(kFewestShown, n);
  switch (grip_) {
    case Grip::first:
      return {std::clamp(first_ + by, 0.0, last_ - least), last_};
    case Grip::last:
      return {first_, std::clamp(last_ + by, first_ + least, n)};
    case Grip::window:
      break;
  }
  const double held = std::clamp(by, -first_, n - last_);
  return {first_ + held, last_ + held};
}

}  // namespace tsukimi::app
