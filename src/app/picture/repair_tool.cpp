// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/repair_tool.h"

#include <cmath>

#include "app/widgets/style.h"
#include "base/overloaded.h"

namespace tsukimi::app {
namespace {

constexpr double kHandle = 9;  // px round a handle

QPointF shown(const Canvas& c, const Point& p) { return c.at(p.x, p.y); }
Point on_frame(QPointF p) { return {p.x(), p.y()}; }
double away(QPointF a, QPointF b) { return std::hypot(a.x() - b.x(), a.y() - b.y()); }

void trace(QPainter& p, const QPolygonF& line, const QColor& colour, Qt::PenStyle style) {
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 150), 2.6, style));
  p.drawPolygon(line);
  p.setPen(QPen(colour, 1.3, style));
  p.drawPolygon(line);
}

}  // namespace

// Its outline is seen on every frame, whether it is on there or not.
std::optional<RepairAt> RepairTool::now(std::size_t i) const {
  const auto& courses = document_.courses().repairs;
  if (i >= courses.size()) return {};
  return courses[i].whole(playhead_.frame());
}

static QPolygonF circle(const Canvas& c, const Point& at, double radius) {
  QPolygonF out;
  const QPointF middle = shown(c, at);
  const double px = std::max(4.0, radius * c.frame_width());
  constexpr int kCorners = 40;
  for (int i = 0; i < kCorners; ++i) {
    const double a = 2 * 3.14159265 * i / kCorners;
    out << middle + px * QPointF(std::cos(a), std::sin(a));
  }
  return out;
}

QPolygonF RepairTool::outline(const RepairAt& r, const Canvas& c) const {
  constexpr double kRound = 1.6;  // radii of a shadow: round it, not through it
  return std::visit(
      Overloaded{[&](const SpotAt& spot) { return circle(c, spot.at, spot.radius); },
                 [&](const DustAt& dust) { return circle(c, dust.at, kRound * dust.radius); },
                 [&](const AreaAt& area) {
                   QPolygonF out;
                   for (const Point& p : area.polygon) out << shown(c, p);
                   return out;
                 }},
      r.what);
}

std::optional<RepairTool::Way> RepairTool::way_of(const RepairAt& r) {
  using MaybeWay = std::optional<Way>;
  return std::visit(Overloaded{[](const SpotAt& spot) -> MaybeWay {
                                 return Way{spot.at, spot.source};
                               },
                               [](const DustAt&) -> MaybeWay { return {}; },
                               [](const AreaAt& area) -> MaybeWay {
                                 if (area.is_from_time() || !area.quilt.empty()) return {};
                                 return Way{area.at, area.source};
                               }},
                    r.what);
}

void RepairTool::paint(QPainter& p, const Canvas& c) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  p.setClipRect(c.target);
  const auto& all = document_.decisions().repairs;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const auto r = now(i);
    if (!r) continue;
    const bool chosen = static_cast<int>(i) == repairs_.chosen();
    QColor colour = chosen ? colour::moon : colour::text;
    if (!all[i].on) colour.setAlphaF(0.4);
    const QPolygonF line = outline(*r, c);
    trace(p, line, colour, r->dust() ? Qt::DotLine : Qt::SolidLine);
    const auto way = way_of(*r);
    if (!chosen || !way) continue;
    const QPointF from = shown(c, way->at), to = shown(c, way->source);
    trace(p, line.translated(to - from), colour::moon, Qt::DashLine);
    p.setPen(QPen(colour::moon, 1, Qt::DashLine));
    p.drawLine(from, to);
  }
  if (drawn_.size() > 1) {
    QPolygonF line;
    for (const Point& d : drawn_) line << shown(c, d);
    trace(p, line, colour::moon, Qt::SolidLine);
  } else if (pointer_ && repairs_.makes == RepairWork::New::spot && grip_ == Grip::none) {
    p.setPen(QPen(colour::moon, 1));
    p.setBrush(Qt::NoBrush);
    const double r = repairs_.radius * c.frame_width();
    p.drawEllipse(*pointer_, r, r);
  }
  p.restore();
}

bool RepairTool::hover(QPointF at) {
  pointer_ = at;
  return repairs_.makes == RepairWork::New::spot;
}

bool RepairTool::press(QPointF at, const Canvas& c) {
  if (!c.target.contains(at)) return false;
  ++serial_;
  from_ = at;
  grip_ = Grip::make;
  drawn_.clear();
  clicked_.reset();
  if (const auto r =
          repairs_.repair() ? now(static_cast<std::size_t>(repairs_.chosen())) : std::nullopt) {
    const auto way = way_of(*r);
    const SpotAt* spot = r->spot();
    const double rim = spot ? spot->radius * c.frame_width() : 0;
    start_ = way.value_or(Way{});
    if (way && away(at, shown(c, way->source)) < kHandle + rim * 0.5)
      return grip_ = Grip::source, true;
    const double from_middle = spot ? away(at, shown(c, spot->at)) : 0;
    if (spot && std::fabs(from_middle - rim) < 4 && rim > 8) return grip_ = Grip::rim, true;
    if (spot && from_middle < std::max(kHandle, rim)) return grip_ = Grip::middle, true;
  }
  // One that is there is chosen, not mended again.
  for (std::size_t i = 0; i < document_.decisions().repairs.size(); ++i)
    if (const auto r = now(i); r && outline(*r, c).containsPoint(at, Qt::OddEvenFill)) {
      repairs_.choose(static_cast<int>(i));
      grip_ = Grip::none;
      return true;
    }
  if (repairs_.makes == RepairWork::New::spot)
    clicked_ = on_frame(c.to_frame(at));
  else
    drawn_.push_back(on_frame(c.to_frame(at)));
  return true;
}

void RepairTool::drag(QPointF at, const Canvas& c) {
  pointer_ = at;
  const QPointF now = c.to_frame(at), by = now - c.to_frame(from_);
  const QString gesture = QString("repair, drag %1").arg(serial_);
  if (grip_ == Grip::make && !drawn_.empty()) {
    constexpr double kCornerStep = 4;  // px from corner to corner
    if (away(shown(c, drawn_.back()), at) >= kCornerStep)
      drawn_.push_back({std::clamp(now.x(), 0.0, 1.0), std::clamp(now.y(), 0.0, 1.0)});
  } else if (grip_ == Grip::middle) {
    repairs_.set_spot({{Param::spot_x, start_.at.x + by.x()},
                       {Param::spot_y, start_.at.y + by.y()},
                       {Param::spot_from_x, start_.source.x + by.x()},
                       {Param::spot_from_y, start_.source.y + by.y()}},
                      gesture);
  } else if (grip_ == Grip::rim) {
    repairs_.set_spot({{Param::spot_radius, away(shown(c, start_.at), at) / c.frame_width()}},
                      gesture);
  } else if (grip_ == Grip::source) {
    const Point to{start_.source.x + by.x(), start_.source.y + by.y()};
    if (repairs_.repair() && repairs_.repair()->area())
      repairs_.set_source(to, gesture);
    else
      repairs_.set_spot({{Param::spot_from_x, to.x}, {Param::spot_from_y, to.y}}, gesture);
  }
}

void RepairTool::release() {
  const Grip grip = std::exchange(grip_, Grip::none);
  if (grip != Grip::make) return;
  if (clicked_) repairs_.add_spot(*std::exchange(clicked_, std::nullopt));
  if (drawn_.size() > 2) repairs_.add_area(drawn_);
  drawn_.clear();
}

}  // namespace tsukimi::app
