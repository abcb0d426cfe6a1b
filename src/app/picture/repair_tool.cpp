#include "app/picture/repair_tool.h"

#include <cmath>

#include "app/widgets/style.h"

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

QPolygonF RepairTool::outline(const RepairAt& r, const Canvas& c) const {
  QPolygonF out;
  if (r.kind == RepairKind::area) {
    for (const Point& p : r.polygon) out << shown(c, p);
    return out;
  }
  const QPointF middle = shown(c, r.at);
  const double wider = r.kind == RepairKind::dust ? 1.6 : 1;  // round a shadow, not through it
  const double radius = std::max(4.0, wider * r.radius * c.frame_width());
  constexpr int kCorners = 40;
  for (int i = 0; i < kCorners; ++i) {
    const double a = 2 * 3.14159265 * i / kCorners;
    out << middle + radius * QPointF(std::cos(a), std::sin(a));
  }
  return out;
}

// One that can be shown and dragged.
static bool has_source(const RepairAt& r) {
  return r.kind == RepairKind::spot ||
         (r.kind == RepairKind::area && r.fill != FillFrom::time && r.quilt.empty());
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
    trace(p, line, colour, r->kind == RepairKind::dust ? Qt::DotLine : Qt::SolidLine);
    if (!chosen || !has_source(*r)) continue;
    const QPointF to = shown(c, r->source) - shown(c, r->at);
    trace(p, line.translated(to), colour::moon, Qt::DashLine);
    p.setPen(QPen(colour::moon, 1, Qt::DashLine));
    p.drawLine(shown(c, r->at), shown(c, r->source));
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
    start_ = *r;
    const QPointF middle = shown(c, r->at), source = shown(c, r->source);
    const double rim = r->radius * c.frame_width();
    if (has_source(*r) && away(at, source) < kHandle + rim * 0.5) return grip_ = Grip::source, true;
    if (r->kind == RepairKind::spot && std::fabs(away(at, middle) - rim) < 4 && rim > 8)
      return grip_ = Grip::rim, true;
    if (r->kind == RepairKind::spot && away(at, middle) < std::max(kHandle, rim))
      return grip_ = Grip::middle, true;
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
    constexpr double kLeast = 4;  // px from corner to corner
    if (away(shown(c, drawn_.back()), at) >= kLeast)
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
    if (start_.kind == RepairKind::area)
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
