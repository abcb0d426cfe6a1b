// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/place_tool.h"

#include <QGuiApplication>
#include <cmath>
#include <numbers>

#include "app/picture/vectors.h"
#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {

constexpr double kReach = 10;  // px round a handle
constexpr double kDisc = 4.5;

// A line that is seen on any picture.
void trace(QPainter& p, const std::function<void()>& draw, bool chosen, Qt::PenStyle style) {
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 140), chosen ? 3 : 2, style));
  draw();
  QColor colour = chosen ? colour::moon : colour::text;
  colour.setAlphaF(chosen ? 1 : 0.6);
  p.setPen(QPen(colour, chosen ? 1.4 : 1, style));
  draw();
}

void disc(QPainter& p, QPointF at, bool open) {
  p.setPen(QPen(QColor(0, 0, 0, 160), 1.2));
  p.setBrush(open ? QBrush(colour::ground) : QBrush(colour::moon));
  p.drawEllipse(at, kDisc, kDisc);
  if (!open) return;
  p.setPen(QPen(colour::moon, 1.6));
  p.drawEllipse(at, kDisc - 0.6, kDisc - 0.6);
}

QPointF along(double degrees) {
  const double a = degrees * std::numbers::pi / 180;
  return {std::cos(a), std::sin(a)};
}
QPointF across(QPointF axis) { return {-axis.y(), axis.x()}; }

}  // namespace

std::vector<PlaceTool::Handle> PlaceTool::handles(const Canvas& c) const {
  const auto now = places_.now();
  if (!shape() || !now) return {};
  const Values& v = now->shapes[static_cast<std::size_t>(places_.shape())].values;
  if (shape()->kind == ShapeKind::graduated) {
    const QPointF a = c.at(v[Param::from_x], v[Param::from_y]),
                  b = c.at(v[Param::to_x], v[Param::to_y]);
    return {{Grip::from, a}, {Grip::to, b}, {Grip::both, (a + b) / 2}};
  }
  if (shape()->kind == ShapeKind::ellipse) {
    const QPointF m = c.at(v[Param::centre_x], v[Param::centre_y]),
                  u = along(v[Param::ellipse_angle] + c.turned());
    const double rx = v[Param::radius_x] * c.frame_width(),
                 ry = v[Param::radius_y] * c.frame_width();
    return {{Grip::along, m + u * rx},
            {Grip::across, m + across(u) * ry},
            {Grip::feather, m - u * rx * (1 - v[Param::ellipse_feather] / 100)},
            {Grip::centre, m}};
  }
  return {};
}

void PlaceTool::paint_graduated(QPainter& p, const Canvas& c, const Values& v, bool chosen) const {
  const QPointF a = c.at(v[Param::from_x], v[Param::from_y]),
                b = c.at(v[Param::to_x], v[Param::to_y]);
  QPointF axis = b - a;
  if (length(axis) < 0.5) axis = {0, 1};
  const double far = 2 * (c.target.width() + c.target.height());
  const QPointF line = across(axis / length(axis)) * far;
  trace(
      p, [&] { p.drawLine(a - line, a + line); }, chosen, Qt::SolidLine);
  trace(
      p, [&] { p.drawLine(b - line, b + line); }, chosen, Qt::DashLine);
  if (chosen)
    trace(
        p, [&] { p.drawLine(a, b); }, false, Qt::SolidLine);
}

void PlaceTool::paint_ellipse(QPainter& p, const Canvas& c, const Values& v, bool chosen) const {
  const double rx = v[Param::radius_x] * c.frame_width(), ry = v[Param::radius_y] * c.frame_width(),
               inner = 1 - v[Param::ellipse_feather] / 100;
  p.save();
  p.translate(c.at(v[Param::centre_x], v[Param::centre_y]));
  p.rotate(v[Param::ellipse_angle] + c.turned());
  trace(
      p, [&] { p.drawEllipse(QPointF(), rx, ry); }, chosen, Qt::DashLine);
  if (inner > 0.02)
    trace(
        p, [&] { p.drawEllipse(QPointF(), rx * inner, ry * inner); }, chosen, Qt::SolidLine);
  p.restore();
}

void PlaceTool::paint(QPainter& p, const Canvas& c) {
  const auto now = places_.now();
  if (!now) return;
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  p.setClipRect(c.target);
  for (int i = 0; i < std::ssize(now->shapes); ++i) {
    const ShapeAt& s = now->shapes[static_cast<std::size_t>(i)];
    const bool chosen = i == places_.shape();
    if (s.kind == ShapeKind::graduated) paint_graduated(p, c, s.values, chosen);
    if (s.kind == ShapeKind::ellipse) paint_ellipse(p, c, s.values, chosen);
  }
  for (const Handle& h : handles(c))
    disc(p, h.at, h.grip == Grip::to || h.grip == Grip::both || h.grip == Grip::feather);
  if (shape() && shape()->kind == ShapeKind::painted && pointer_) {
    const double r = places_.brush.radius * c.frame_width();
    const double inner = r * (1 - places_.brush.softness / 100);
    trace(
        p, [&] { p.drawEllipse(*pointer_, r, r); }, true,
        places_.brush.erase ? Qt::DotLine : Qt::SolidLine);
    if (inner > 2)
      trace(
          p, [&] { p.drawEllipse(*pointer_, inner, inner); }, false, Qt::SolidLine);
  }
  p.restore();
}

bool PlaceTool::hover(QPointF at) {
  pointer_ = at;
  return shape() && shape()->kind == ShapeKind::painted;
}

bool PlaceTool::press(QPointF at, const Canvas& c) {
  const auto now = places_.now();
  if (!shape() || !now || !c.target.contains(at)) return false;
  ++serial_;
  from_ = at;
  start_ = now->shapes[static_cast<std::size_t>(places_.shape())].values;
  grip_ = Grip::none;
  if (shape()->kind == ShapeKind::painted) {
    grip_ = Grip::brush;
    before_ = places_.painting();
    const auto& b = places_.brush;
    const bool turned = QGuiApplication::keyboardModifiers() & Qt::ControlModifier;
    stroke_ = {b.radius, b.softness, b.flow, b.erase != turned, {}, b.edges};
    stroke_to(at, c);
    return true;
  }
  if (places_.drawing()) {
    grip_ = Grip::draw;
    return true;
  }
  double least = kReach;
  for (const Handle& h : handles(c))
    if (const double away = length(h.at - at); away < least) least = away, grip_ = h.grip;
  return grip_ != Grip::none;
}

void PlaceTool::drag(QPointF at, const Canvas& c) {
  pointer_ = at;
  if (!shape() || grip_ == Grip::none) return;
  if (grip_ == Grip::brush) return stroke_to(at, c);
  const QPointF a = c.to_frame(from_), b = c.to_frame(at);
  if (shape()->kind == ShapeKind::graduated)
    drag_graduated(b - a, b, c);
  else
    drag_ellipse(b - a, b, c);
}

void PlaceTool::drag_graduated(QPointF by, QPointF to, const Canvas& c) {
  std::vector<std::pair<Param, double>> set;
  if (grip_ == Grip::draw) {
    const QPointF from = c.to_frame(from_);
    set = {{Param::from_x, from.x()}, {Param::from_y, from.y()}};
  }
  if (grip_ == Grip::from || grip_ == Grip::both)
    set = {{Param::from_x, start_[Param::from_x] + by.x()},
           {Param::from_y, start_[Param::from_y] + by.y()}};
  if (grip_ == Grip::both || grip_ == Grip::to) {
    set.emplace_back(Param::to_x, start_[Param::to_x] + by.x());
    set.emplace_back(Param::to_y, start_[Param::to_y] + by.y());
  }
  if (grip_ == Grip::draw) {
    set.emplace_back(Param::to_x, to.x());
    set.emplace_back(Param::to_y, to.y());
  }
  places_.set_shape(set, gesture());
}

void PlaceTool::drag_ellipse(QPointF by, QPointF to, const Canvas& c) {
  const double w = c.frame_width(), shape = c.frame_height() / w;
  auto in_widths = [&](QPointF p) { return QPointF(p.x(), p.y() * shape); };
  const QPointF middle = in_widths({start_[Param::centre_x], start_[Param::centre_y]}),
                away = in_widths(to) - middle, axis = along(start_[Param::ellipse_angle]);
  if (grip_ == Grip::centre)
    return places_.set_shape({{Param::centre_x, start_[Param::centre_x] + by.x()},
                              {Param::centre_y, start_[Param::centre_y] + by.y()}},
                             gesture());
  if (grip_ == Grip::draw) {
    const QPointF from = c.to_frame(from_), size = in_widths(by);
    return places_.set_shape({{Param::centre_x, from.x()},
                              {Param::centre_y, from.y()},
                              {Param::radius_x, std::fabs(size.x())},
                              {Param::radius_y, std::fabs(size.y())},
                              {Param::ellipse_angle, 0}},
                             gesture());
  }
  if (grip_ == Grip::along) {
    const double turn = std::atan2(away.y(), away.x()) * 180 / std::numbers::pi;
    return places_.set_shape(
        {{Param::radius_x, length(away)}, {Param::ellipse_angle, turn < 0 ? turn + 360 : turn}},
        gesture());
  }
  if (grip_ == Grip::across)
    return places_.set_shape({{Param::radius_y, std::fabs(dot(away, across(axis)))}}, gesture());
  const double inner = -dot(away, axis) / start_[Param::radius_x];
  places_.set_shape({{Param::ellipse_feather, 100 * (1 - inner)}}, gesture());
}

// Points no nearer to each other than can be seen.
void PlaceTool::stroke_to(QPointF at, const Canvas& c) {
  const QPointF p = c.to_frame(at);
  constexpr double kSpacing = 0.12;  // of the radius
  if (!stroke_.points.empty()) {
    const Point last = stroke_.points.back();
    const double shape = c.frame_height() / c.frame_width();
    if (std::hypot(p.x() - last.x, (p.y() - last.y) * shape) < kSpacing * stroke_.radius) return;
  }
  stroke_.points.push_back({p.x(), p.y()});
  places_.paint(before_.with(stroke_), QString("stroke %1").arg(serial_));
}

void PlaceTool::release() {
  grip_ = Grip::none;
  before_ = {};
  places_.end_drawing();
}

}  // namespace tsukimi::app
