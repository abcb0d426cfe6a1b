// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/trace.h"

#include <QPainterPath>
#include <cmath>

namespace tsukimi::app {
double Trace::y_of(double value) const {
  return lane.bottom() - 4 - (value - low) / (high - low) * (lane.height() - 8);
}

// With more frames than the lane has room for, a line through all of them is a band: from the least
// to the most in every pixel, which costs a fraction.
void Trace::draw_band(const std::vector<double>& v, int a, int b, const QPen& pen) const {
  const bool dashed = pen.style() == Qt::DashLine;
  const double half = pen.widthF() / 2;
  constexpr int kDash = 5, kPeriod = 8;  // px
  std::vector<QRectF> columns;
  double before = NAN;
  for (int x = static_cast<int>(lane.left()), i = a; x < lane.right() && i <= b; ++x) {
    double least = std::isnan(before) ? 1e9 : before, most = std::isnan(before) ? -1e9 : before;
    for (; i <= b && scale.x_of(i) < x + 1; ++i) {
      if (std::isnan(v[static_cast<std::size_t>(i)])) continue;
      before = v[static_cast<std::size_t>(i)];
      least = std::min(least, before);
      most = std::max(most, before);
    }
    if (least > most || (dashed && x % kPeriod >= kDash)) continue;
    columns.emplace_back(x, y_of(most) - half, 1, y_of(least) - y_of(most) + 2 * half);
  }
  painter.setPen(Qt::NoPen);
  painter.setBrush(pen.color());
  painter.drawRects(columns.data(), static_cast<int>(columns.size()));
}

void Trace::draw(const std::vector<double>& v, const QPen& pen) const {
  const int a = std::max(0, static_cast<int>(scale.first) - 1),
            b = std::min(static_cast<int>(v.size()) - 1, static_cast<int>(scale.last) + 1);
  if (b - a > 0.8 * lane.width()) return draw_band(v, a, b, pen);
  QPainterPath path;
  bool drawing = false;
  for (int i = a; i <= b; ++i) {
    const double value = v[static_cast<std::size_t>(i)];
    if (std::isnan(value)) continue;  // a frame that is left out does not break the line
    const QPointF at(scale.x_of(i), y_of(value));
    drawing ? path.lineTo(at) : path.moveTo(at);
    drawing = true;
  }
  painter.setPen(pen);
  painter.setBrush(Qt::NoBrush);
  painter.save();
  painter.setClipRect(lane);  // zoomed in, it goes on to both sides
  painter.drawPath(path);
  painter.restore();
}

}  // namespace tsukimi::app
