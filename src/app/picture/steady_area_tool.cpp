// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/steady_area_tool.h"

#include <algorithm>

#include "app/widgets/style.h"

namespace tsukimi::app {

void SteadyAreaTool::paint(QPainter& p, const Canvas& canvas) {
  const auto& area = drawn_ ? drawn_ : document_.decisions().deflicker.steady_area;
  if (!area) return;
  const QRectF box = canvas.to_widget(*area);
  p.setPen(QPen(QColor(0, 0, 0, 150), 3));
  p.setBrush(Qt::NoBrush);
  p.drawRect(box);
  p.setPen(QPen(colour::moon, 1.3, Qt::DashLine));
  p.drawRect(box);
  paint_plate(p, box.topLeft() - QPointF(0, 21), tr("steady area"), false);
}

bool SteadyAreaTool::press(QPointF at, const Canvas&) {
  from_ = at;
  drawn_ = Rect{0, 0, 0, 0};
  return true;
}

void SteadyAreaTool::drag(QPointF at, const Canvas& canvas) {
  const QPointF a = canvas.to_frame(from_), b = canvas.to_frame(at);
  const double x0 = std::clamp(std::min(a.x(), b.x()), 0.0, 1.0),
               y0 = std::clamp(std::min(a.y(), b.y()), 0.0, 1.0);
  const double x1 = std::clamp(std::max(a.x(), b.x()), 0.0, 1.0),
               y1 = std::clamp(std::max(a.y(), b.y()), 0.0, 1.0);
  drawn_ = Rect{x0, y0, std::max(x1 - x0, 1e-4), std::max(y1 - y0, 1e-4)};
}

void SteadyAreaTool::release() {
  constexpr double kSmallestArea = 0.004;  // of the frame: a click draws nothing
  const Rect area = *std::exchange(drawn_, std::nullopt);
  if (area.w > kSmallestArea && area.h > kSmallestArea)
    document_.edit(tr("Draw steady area"),
                   [&](Shoot& s) { s.decisions.deflicker.steady_area = area; });
}

}  // namespace tsukimi::app
