// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/evening_view.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "app/widgets/style.h"
#include "document/light_edit.h"

namespace tsukimi::app {

constexpr double kHandleDisc = 4.5, kHandleReach = 9;  // pixels
constexpr double kMostAdded = 10;                      // stops, by a handle

EveningView::EveningView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("evening");
  setAccessibleName(tr("Your own evening"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setCursor(Qt::CrossCursor);
}

QSize EveningView::sizeHint() const { return {120, text_px(112)}; }

QRectF EveningView::field() const { return QRectF(rect()).adjusted(6, text_px(20), -6, -6); }

double EveningView::x_of(double frame) const {
  const double last = std::max(1, session_.document.shoot().frame_count() - 1);
  return field().left() + frame / last * field().width();
}

double EveningView::y_of(double stops) const {
  return field().bottom() - (stops - low_) / (high_ - low_) * field().height();
}

int EveningView::frame_at(double x) const {
  const int last = session_.document.shoot().frame_count() - 1;
  return std::clamp(static_cast<int>(std::lround((x - field().left()) / field().width() * last)), 0,
                    last);
}

double EveningView::per_stop() const { return field().height() / (high_ - low_); }

double EveningView::added(int frame) const {
  const LightPlan& plan = session_.light.plan();
  const auto at = static_cast<std::size_t>(frame);
  return at < plan.evening.size() ? plan.evening[at] : 0;
}

std::vector<double> EveningView::without() const {
  std::vector<double> out = session_.light.plan().goal;
  for (std::size_t i = 0; i < out.size(); ++i) out[i] -= added(static_cast<int>(i));
  return out;
}

// While a handle is dragged the scale stands.
void EveningView::find_range() {
  if (handle_ >= 0) return;
  low_ = 1e9, high_ = -1e9;
  const auto& with = session_.light.plan().goal;
  for (const auto& course : {with, without()})
    for (double v : course)
      if (!std::isnan(v)) low_ = std::min(low_, v), high_ = std::max(high_, v);
  if (low_ > high_) low_ = 0, high_ = 1;
  const double room = std::max(0.5, 0.15 * (high_ - low_));
  low_ -= room, high_ += room;
}

QPointF EveningView::point_at(int frame) const {
  const auto& goal = session_.light.plan().goal;
  const auto at = static_cast<std::size_t>(frame);
  const double v = at < goal.size() && !std::isnan(goal[at]) ? goal[at] : (low_ + high_) / 2;
  return {x_of(frame), y_of(v)};
}

static void draw_course(QPainter& p, const std::vector<double>& course, const QPen& pen,
                        const std::function<QPointF(double, double)>& at) {
  QPolygonF line;
  for (std::size_t i = 0; i < course.size(); ++i)
    if (!std::isnan(course[i])) line << at(static_cast<double>(i), course[i]);
  p.setPen(pen);
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(line);
}

void EveningView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(isEnabled() ? colour::text : colour::faint);
  p.drawText(QRectF(0, 0, width(), text_px(18)), Qt::AlignLeft | Qt::AlignVCenter, tr("Evening"));
  const QRectF r = field();
  p.fillRect(r.adjusted(-6, 0, 6, 6), colour::ground);
  if (!session_.document.is_open() || !session_.light.known()) return;
  find_range();
  const auto& handles = session_.document.decisions().level.evening;
  p.setPen(colour::quiet);
  p.drawText(QRectF(0, 0, width(), text_px(18)), Qt::AlignRight | Qt::AlignVCenter,
             handles.empty()
                 ? tr("click on the curve to bend it")
                 : tr("%1 stops here").arg(added(session_.playhead.frame()), 0, 'f', 2));
  const auto at = [this](double frame, double v) { return QPointF(x_of(frame), y_of(v)); };
  // Where clipped data could not give what levelling asks for.
  p.setPen(Qt::NoPen);
  p.setBrush(colour::coral);
  for (int frame : session_.light.plan().level.beyond_data)
    p.drawRect(QRectF(x_of(frame) - 1, r.bottom() + 2, 2, 4));
  if (!handles.empty()) draw_course(p, without(), QPen(colour::shot, 1.1), at);
  draw_course(p, session_.light.plan().goal, QPen(isEnabled() ? colour::moon : colour::faint, 1.7),
              at);
  for (const EveningHandle& h : handles) {
    const int frame = session_.document.shoot().sequence.place_of(h.frame);
    p.setPen(QPen(colour::panel, 1));
    p.setBrush(colour::moon);
    p.drawEllipse(point_at(frame), kHandleDisc, kHandleDisc);
  }
  const double here = x_of(session_.playhead.frame());
  p.setPen(QPen(colour::text, 1));
  p.drawLine(QPointF(here, r.top()), QPointF(here, r.bottom()));
}

int EveningView::handle_near(QPointF at) const {
  int best = -1;
  double least = kHandleReach;
  for (const EveningHandle& h : session_.document.decisions().level.evening) {
    const int frame = session_.document.shoot().sequence.place_of(h.frame);
    const QPointF away = point_at(frame) - at;
    if (const double d = std::hypot(away.x(), away.y()); d < least) least = d, best = frame;
  }
  return best;
}

void EveningView::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !session_.light.known()) return;
  find_range();
  ++serial_;
  int frame = handle_near(e->position());
  const bool fresh = frame < 0;
  if (fresh) frame = frame_at(e->position().x());
  from_y_ = e->position().y();
  from_stops_ = added(frame);
  session_.playhead.set_frame(frame);
  handle_ = frame;
  if (!fresh) return;
  // Where the curve is: nothing jumps.
  session_.document.edit(
      tr("Bend the evening"), [&](Shoot& s) { set_evening(s, frame, from_stops_); },
      tr("evening %1").arg(serial_));
}

void EveningView::mouseMoveEvent(QMouseEvent* e) {
  if (handle_ < 0) return;
  const double stops =
      std::clamp(from_stops_ + (from_y_ - e->position().y()) / per_stop(), -kMostAdded, kMostAdded);
  session_.document.edit(
      tr("Bend the evening"),
      [&](Shoot& s) { set_evening(s, handle_, std::round(stops * 100) / 100); },
      tr("evening %1").arg(serial_));
}

void EveningView::mouseDoubleClickEvent(QMouseEvent* e) {
  const int frame = handle_near(e->position());
  handle_ = -1;
  if (frame < 0) return;
  session_.document.edit(tr("Remove a handle"), [&](Shoot& s) { remove_evening(s, frame); });
}

bool EveningView::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip && session_.document.is_open()) {
    const auto* help = static_cast<QHelpEvent*>(e);
    const int frame = frame_at(help->pos().x());
    QToolTip::showText(
        help->globalPos(),
        tr("Frame %1: %2 stops on top of what levelling makes. Click to make a handle, drag it up "
           "or down, double-click to remove it. Coral marks below: clipped parts turn grey there.")
            .arg(frame + 1)
            .arg(added(frame), 0, 'f', 2),
        this);
    return true;
  }
  return QWidget::event(e);
}

}  // namespace tsukimi::app
