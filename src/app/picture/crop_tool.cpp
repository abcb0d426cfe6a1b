// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/crop_tool.h"

#include <QPainterPath>
#include <cmath>

#include "app/picture/vectors.h"
#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {

constexpr double kGrasp = 11;  // px round a corner, beside a side
constexpr double kCropDisc = 5;

Point on_frame(QPointF at, const Canvas& c) {
  const QPointF on = c.to_frame(at);
  return {std::clamp(on.x(), 0.0, 1.0), std::clamp(on.y(), 0.0, 1.0)};
}

void stroke(QPainter& p, const std::function<void()>& draw, const QColor& colour, double width,
            Qt::PenStyle style = Qt::SolidLine) {
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 130), width + 1.6, style));
  draw();
  p.setPen(QPen(colour, width, style));
  draw();
}

}  // namespace

CropTool::Box CropTool::box_of(const Placement& crop, const Canvas& c) const {
  auto shown = [&](double u, double v) {
    const Point on = crop.at(u, v);
    return c.at(on.x, on.y);
  };
  const QPointF corner = shown(0, 0), right = shown(1, 0) - corner, down = shown(0, 1) - corner;
  const double w = length(right), h = length(down);
  return {shown(0.5, 0.5), right / w, down / h, w, h};
}

CropTool::Box CropTool::box(const Canvas& c) const {
  const FramingCourse& course = document_.courses().framing;
  const int frame = playhead_.frame();
  return box_of(course.all_of_crop(course.time(frame), frame), c);
}

void CropTool::paint_guides(QPainter& p, const Box& b) const {
  auto lines = [&](const std::vector<std::array<double, 4>>& all) {
    for (const auto& l : all) p.drawLine(b.at(l[0], l[1]), b.at(l[2], l[3]));
  };
  p.setPen(QPen(QColor(240, 220, 154, 90), 1));
  constexpr double kThird = 1.0 / 3;
  switch (framing_.guides()) {
    case Guides::thirds:
      return lines({{-kThird, -1, -kThird, 1},
                    {kThird, -1, kThird, 1},
                    {-1, -kThird, 1, -kThird},
                    {-1, kThird, 1, kThird}});
    case Guides::diagonals:
      return lines({{-1, -1, 1, 1}, {-1, 1, 1, -1}});
    case Guides::centre:
      return lines({{-1, 0, 1, 0}, {0, -1, 0, 1}});
    case Guides::safe:
      // What a screen shows whole, and where words may stand (EBU R 95).
      for (double part : {0.93, 0.9})
        p.drawPolygon(QPolygonF(
            {b.at(-part, -part), b.at(part, -part), b.at(part, part), b.at(-part, part)}));
      return;
    case Guides::none:
      return;
  }
}

// Where the crop goes: its first and last place as ghosts, the way of its middle, its key frames.
void CropTool::paint_way(QPainter& p, const Canvas& c) const {
  if (!framing_.has_glide()) return;
  const FramingCourse& course = document_.courses().framing;
  const int frames = document_.courses().film.count();
  if (frames < 2) return;
  // All of it as this frame was shaken.
  auto box_at = [&](double time) { return box_of(course.all_of_crop(time, playhead_.frame()), c); };
  const QColor ghost(238, 236, 230, 150);
  const double last = frames - 1;
  for (double time : {0.0, last}) {
    const Box b = box_at(time);
    stroke(
        p, [&] { p.drawPolygon(b.outline()); }, ghost, 1, time == 0 ? Qt::DotLine : Qt::DashLine);
    const QString name = time == 0 ? tr("first") : tr("last");
    const QPointF corner = b.at(-1, -1) + QPointF(4, time == 0 ? 4 : 26);
    paint_plate(p, corner, name, false);
  }
  QPolygonF way;
  constexpr int kSteps = 96;
  for (int i = 0; i <= kSteps; ++i) way << box_at(last * i / kSteps).middle;
  stroke(
      p, [&] { p.drawPolyline(way); }, colour::moon, 1.2);
  for (int frame : key_places(document_.shoot(), {kGlide})) {
    p.setBrush(colour::moon);
    p.setPen(QPen(QColor(0, 0, 0, 160), 1.2));
    p.drawEllipse(way_point(frame, c), 4, 4);
  }
}

// Where the way has the middle of the crop at a frame, as the frame that is seen was shaken.
QPointF CropTool::way_point(int frame, const Canvas& c) const {
  const FramingCourse& course = document_.courses().framing;
  return box_of(course.all_of_crop(course.time(frame), playhead_.frame()), c).middle;
}

void CropTool::paint_drawn(QPainter& p, const Canvas& c) const {
  for (const Rect& area : document_.decisions().framing.steady.areas)
    stroke(
        p, [&] { p.drawRect(c.to_widget(area)); }, colour::text, 1, Qt::DashLine);
  if (!drawing_) return;
  const bool line = framing_.drawing() == FramingWork::Drawing::level;
  stroke(
      p, [&] { line ? p.drawLine(from_, to_) : p.drawRect(QRectF(from_, to_).normalized()); },
      colour::moon, 1.4);
  if (!line) return;
  const double lean = lean_of(document_.shoot(), drawn_from_, drawn_to_);
  paint_plate(p, to_ + QPointF(10, -28), QString("%1°").arg(lean, 0, 'f', 2), false);
}

void CropTool::paint(QPainter& p, const Canvas& c) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  const Box b = box(c);
  QPainterPath shade, hole;
  shade.addRect(c.target);
  hole.addPolygon(b.outline());
  p.fillPath(shade.subtracted(hole), QColor(20, 20, 20, 170));
  p.save();
  p.setClipRect(c.target.adjusted(-6, -6, 6, 6));
  paint_way(p, c);
  paint_guides(p, b);
  stroke(
      p, [&] { p.drawPolygon(b.outline()); }, colour::moon, 1.3);
  // What can be dragged: full discs at the corners, open ones on the sides.
  p.setPen(QPen(QColor(0, 0, 0, 160), 1.2));
  for (int x : {-1, 0, 1})
    for (int y : {-1, 0, 1}) {
      if (x == 0 && y == 0) continue;
      const bool corner = x != 0 && y != 0;
      p.setBrush(corner ? QBrush(colour::moon) : QBrush(colour::ground));
      p.setPen(corner ? QPen(QColor(0, 0, 0, 160), 1.2) : QPen(colour::moon, 1.4));
      const double r = corner ? kCropDisc : kCropDisc - 1;
      p.drawEllipse(b.at(x, y), r, r);
    }
  paint_drawn(p, c);
  p.restore();
  p.restore();
}

bool CropTool::press(QPointF at, const Canvas& c) {
  from_ = to_ = at;
  ++serial_;
  drawing_ = framing_.drawing() != FramingWork::Drawing::none;
  drawn_from_ = drawn_to_ = on_frame(at, c);
  if (drawing_) return true;
  start_ = box(c);
  // A key frame elsewhere on the way is gone to, and dragged from there.
  for (int frame : key_places(document_.shoot(), {kGlide})) {
    const QPointF there = way_point(frame, c);
    if (length(there - at) >= kGrasp || length(there - start_.middle) < 2 * kGrasp) continue;
    playhead_.set_frame(frame);
    start_ = box(c);
    grip_x_ = grip_y_ = 0;
    return true;
  }
  const double x = dot(at - start_.middle, start_.right), y = dot(at - start_.middle, start_.down);
  auto side_of = [](double v, double reach) {
    return std::fabs(v - reach) < kGrasp ? 1 : std::fabs(v + reach) < kGrasp ? -1 : 0;
  };
  grip_x_ = side_of(x, start_.w / 2);
  grip_y_ = side_of(y, start_.h / 2);
  return std::fabs(x) < start_.w / 2 + kGrasp && std::fabs(y) < start_.h / 2 + kGrasp;
}

void CropTool::drag(QPointF at, const Canvas& c) {
  to_ = at;
  drawn_to_ = on_frame(at, c);
  if (drawing_) return;
  if (grip_x_ != 0 || grip_y_ != 0) return resize(at, c);
  Box moved = start_;
  moved.middle += at - from_;
  put(moved, c);
}

// What lies opposite stays; a shape that is fixed is kept.
void CropTool::resize(QPointF to, const Canvas& c) {
  const bool free = framing_.is_free();
  const QPointF hold = start_.at(-grip_x_, -grip_y_), by = to - from_;
  constexpr double kSmallestSide = 12;  // px
  Box b = start_;
  double w = std::max(kSmallestSide, start_.w + grip_x_ * dot(by, start_.right)),
         h = std::max(kSmallestSide, start_.h + grip_y_ * dot(by, start_.down));
  if (!free) {
    const double shape = start_.w / start_.h;
    if (grip_y_ == 0 || (grip_x_ != 0 && w / shape > h))
      h = w / shape;
    else
      w = h * shape;
  }
  b.w = w, b.h = h;
  b.middle = hold + grip_x_ * w / 2 * start_.right + grip_y_ * h / 2 * start_.down;
  put(b, c);
}

// The crop as asked for: on the steadied scene, as if not turned.
void CropTool::put(const Box& b, const Canvas& c) {
  const FramingCourse& course = document_.courses().framing;
  const double aspect = c.aspect, width = c.frame_width();
  const QPointF on = c.to_frame(b.middle);
  const Similarity back = inverse(course.shaken(playhead_.frame()));
  const Offset still = moved(back, {on.x() - 0.5, (on.y() - 0.5) / aspect});
  CropAt crop = framing_.crop();
  crop.w = b.w / width;
  const double h = b.h / width * aspect;
  crop.x = still.x + 0.5 - crop.w / 2;
  crop.y = still.y * aspect + 0.5 - h / 2;
  framing_.set_crop(crop, framing_.is_free() ? std::optional(h) : std::nullopt,
                    tr("crop %1").arg(serial_));
}

void CropTool::release() {
  if (!std::exchange(drawing_, false)) return;
  constexpr double kShortestLine = 12;  // px: a click draws nothing
  if (length(to_ - from_) < kShortestLine) return;
  const Point a = drawn_from_, b = drawn_to_;
  if (framing_.drawing() == FramingWork::Drawing::level) return framing_.level_by(a, b);
  const Rect area{std::min(a.x, b.x), std::min(a.y, b.y), std::fabs(b.x - a.x),
                  std::fabs(b.y - a.y)};
  constexpr double kSmallest = 0.01;  // of the frame
  if (area.w > kSmallest && area.h > kSmallest) framing_.add_area(area);
}

}  // namespace tsukimi::app
