// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/steady_area_tool.h"

#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/widgets/style.h"

namespace tsukimi::app {

QPointF SteadyAreaTool::moved() const {
  const Shoot& shoot = session_.document.shoot();
  const Similarity by = move_of(shoot, session_.playhead.frame());
  return {by.dx, by.dy * aspect_of(shoot)};
}

void SteadyAreaTool::paint(QPainter& p, const Canvas& canvas) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  p.setClipRect(canvas.target);
  if (session_.areas.map()) paint_map(p, canvas);
  const auto& areas = session_.document.decisions().deflicker.areas;
  for (int i = 0; i < std::ssize(areas); ++i)
    paint_area(p, canvas, areas[static_cast<std::size_t>(i)], i == session_.areas.chosen());
  if (area_) paint_area(p, canvas, *area_, true);
  p.restore();
}

void SteadyAreaTool::paint_area(QPainter& p, const Canvas& canvas, const SteadyArea& area,
                                bool strong) const {
  const QPointF by = moved();
  const Rect box{area.box.x + by.x(), area.box.y + by.y(), area.box.w, area.box.h};
  const QRectF lies = canvas.to_widget(box);
  QPainterPath outline;
  switch (area.shape) {
    case AreaShape::rectangle:
      outline.addRect(lies);
      break;
    case AreaShape::ellipse:
      outline.addEllipse(lies);
      break;
    case AreaShape::freehand: {
      QPolygonF line;
      for (const Point& corner : area.outline)
        line << canvas.at(corner.x + by.x(), corner.y + by.y());
      outline.addPolygon(line);
      outline.closeSubpath();
      break;
    }
  }
  // What is left out is crossed out, so that no colour has to say it.
  if (area.leave_out) p.fillPath(outline, QBrush(QColor(0xa9, 0xa7, 0xa2, 120), Qt::BDiagPattern));
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 150), strong ? 3.4 : 3));
  p.drawPath(outline);
  p.setPen(QPen(area.leave_out ? colour::text : colour::moon, strong ? 1.8 : 1.2,
                area.leave_out ? Qt::DotLine : Qt::DashLine));
  p.drawPath(outline);
  const QPointF corner(lies.left(), std::max(canvas.target.top(), lies.top() - text_px(21)));
  paint_plate(p, corner, area.leave_out ? tr("left out") : tr("steady area"), false);
}

// Steady parts are clear; the less steady one is, the more it is grey under fine diagonals.
void SteadyAreaTool::paint_map(QPainter& p, const Canvas& canvas) {
  const auto& steady = session_.light.steady();
  if (steady.empty()) return;
  if (map_.isNull() || map_of_ != session_.light.version()) {
    map_of_ = session_.light.version();
    map_ = QImage(CellLight::kAcross, CellLight::kDown, QImage::Format_ARGB32_Premultiplied);
    // Scatter from frame to frame, in stops: 0.3 % of light is as steady as it gets, 4 % is none.
    constexpr double kSteadiest = 0.0043, kUnsteady = 0.057, kMost = 225;
    for (int c = 0; c < CellLight::kCells; ++c) {
      const double weight = steady[static_cast<std::size_t>(c)],
                   scatter = weight > 0 ? 1 / std::sqrt(weight) : kUnsteady,
                   share = std::clamp(
                       std::log(scatter / kSteadiest) / std::log(kUnsteady / kSteadiest), 0.0, 1.0);
      const int alpha = static_cast<int>(kMost * share);
      reinterpret_cast<QRgb*>(map_.scanLine(c / CellLight::kAcross))[c % CellLight::kAcross] =
          qPremultiply(qRgba(0x6d, 0x6d, 0x6e, alpha));
    }
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  // Of a picture that is larger than the window only what is seen.
  const QRectF seen = canvas.target.intersected(QRectF(p.viewport()));
  const QSize pixels = seen.size().toSize();
  if (pixels.isEmpty()) return;
  QImage veil(pixels, QImage::Format_ARGB32_Premultiplied);
  veil.fill(Qt::transparent);
  QPainter into(&veil);
  into.setRenderHint(QPainter::SmoothPixmapTransform);
  into.setRenderHint(QPainter::Antialiasing);
  into.drawImage(canvas.target.translated(-seen.topLeft()), map_);
  // Diagonals where the veil is, as strong as it is.
  into.setCompositionMode(QPainter::CompositionMode_SourceAtop);
  QColor line = colour::moon;
  line.setAlphaF(0.7f);
  into.setPen(QPen(line, 1));
  constexpr int kApart = 9;  // pixels
  for (int x = -pixels.height(); x < pixels.width(); x += kApart)
    into.drawLine(QPointF(x, pixels.height()), QPointF(x + pixels.height(), 0));
  into.end();
  p.drawImage(seen.topLeft(), veil);
  const QString words = tr("clear: steady · grey: changes by itself");
  const QSizeF plate = plate_size(p, words);
  paint_plate(p, seen.bottomLeft() + QPointF(8, -plate.height() - 8), words, false);
}

bool SteadyAreaTool::press(QPointF at, const Canvas& canvas) {
  if (!canvas.target.contains(at)) return false;
  drag(at, canvas);
  return true;
}

void SteadyAreaTool::drag(QPointF at, const Canvas& canvas) {
  const QPointF in_frame = canvas.to_frame(at) - moved();
  const Point here{std::clamp(in_frame.x(), 0.0, 1.0), std::clamp(in_frame.y(), 0.0, 1.0)};
  const AreaShape shape = session_.areas.shape();
  if (shape != AreaShape::freehand && drawn_.size() > 1) drawn_.pop_back();
  // An outline of a slow hand has no corner nearer to the one before than this, in fractions.
  constexpr double kStep = 0.003;
  if (shape == AreaShape::freehand && !drawn_.empty() &&
      std::hypot(here.x - drawn_.back().x, here.y - drawn_.back().y) < kStep)
    return;
  drawn_.push_back(here);
  const Bounds box = bounds_of(drawn_);
  area_ = SteadyArea{
      shape, {box.left, box.top, box.width(), box.height()}, {}, session_.areas.leaves_out()};
  if (shape == AreaShape::freehand) area_->outline = drawn_;
}

void SteadyAreaTool::release() {
  constexpr double kSmallestArea = 0.004;  // of the frame: a click draws nothing
  drawn_.clear();
  const auto area = std::exchange(area_, std::nullopt);
  if (!area || area->box.w <= kSmallestArea || area->box.h <= kSmallestArea) return;
  if (area->shape == AreaShape::freehand && area->outline.size() < 3) return;
  session_.areas.add(*area);
}

}  // namespace tsukimi::app
