// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/trace.h"

#include <QPainterPath>
#include <cmath>

namespace tsukimi::app {
namespace {

// What of a course the lane shows: a piece of a line for every frame where there is room.
struct Trace {
  const QRectF& r;
  const TimeScale& scale;
  double low, high;
  double y_of(double v) const {
    return r.bottom() - 4 - (v - low) / (high - low) * (r.height() - 8);
  }
};

// With more frames than the lane has room for, a line through all of them is a band: from the least
// to the most in every pixel, which costs a fraction.
void band(QPainter& p, const Trace& t, const std::vector<double>& v, int a, int b,
          const QPen& pen) {
  const bool dashed = pen.style() == Qt::DashLine;
  const double half = pen.widthF() / 2;
  constexpr int kDash = 5, kPeriod = 8;  // px
  std::vector<QRectF> columns;
  double before = NAN;
  for (int x = static_cast<int>(t.r.left()), i = a; x < t.r.right() && i <= b; ++x) {
    double least = std::isnan(before) ? 1e9 : before, most = std::isnan(before) ? -1e9 : before;
    for (; i <= b && t.scale.x_of(i) < x + 1; ++i) {
      if (std::isnan(v[static_cast<std::size_t>(i)])) continue;
      before = v[static_cast<std::size_t>(i)];
      least = std::min(least, before);
      most = std::max(most, before);
    }
    if (least > most || (dashed && x % kPeriod >= kDash)) continue;
    columns.emplace_back(x, t.y_of(most) - half, 1, t.y_of(least) - t.y_of(most) + 2 * half);
  }
  p.setPen(Qt::NoPen);
  p.setBrush(pen.color());
  p.drawRects(columns.data(), static_cast<int>(columns.size()));
}

}  // namespace

void paint_trace(QPainter& p, const QRectF& r, const TimeScale& scale, const std::vector<double>& v,
                 double low, double high, const QPen& pen) {
  const int a = std::max(0, static_cast<int>(scale.first) - 1),
            b = std::min(static_cast<int>(v.size()) - 1, static_cast<int>(scale.last) + 1);
  const Trace t{r, scale, low, high};
  if (b - a > 0.8 * r.width()) return band(p, t, v, a, b, pen);
  QPainterPath path;
  bool drawing = false;
  for (int i = a; i <= b; ++i) {
    const double value = v[static_cast<std::size_t>(i)];
    if (std::isnan(value)) continue;  // a frame that is left out does not break the line
    const QPointF at(scale.x_of(i), t.y_of(value));
    drawing ? path.lineTo(at) : path.moveTo(at);
    drawing = true;
  }
  p.setPen(pen);
  p.setBrush(Qt::NoBrush);
  p.save();
  p.setClipRect(r);  // zoomed in, it goes on to both sides
  p.drawPath(path);
  p.restore();
}

}  // namespace tsukimi::app
