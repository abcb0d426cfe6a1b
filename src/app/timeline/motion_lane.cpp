// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/motion_lane.h"

#include <cmath>
#include <numbers>

#include "app/timeline/trace.h"
#include "app/widgets/style.h"
#include "document/pace/film_frames.h"
#include "motion/track.h"

namespace tsukimi::app {

void MotionLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const Shoot& shoot = session_.document.shoot();
  const SteadySettings& steady = shoot.decisions.framing.steady;
  if (!shoot.motion) {
    p.setPen(colour::quiet);
    p.drawText(r, Qt::AlignCenter,
               steady.how == Steadying::off
                   ? tr("How the camera moved is measured when the film is steadied.")
                   : tr("How the camera moved is being measured."));
    return;
  }
  const auto moves = moves_of(shoot);
  const auto counts = kept_counts(shoot);
  const auto path = steady_path(moves, counts, steady.how, steady.period);
  const double width = shoot.sequence.size.width, degrees = 180 / std::numbers::pi;
  struct Row {
    QString name;
    double (*value)(const Similarity&);
    double unit;
    double least;  // half of what the row shows at least
    int decimals;
    const char* of;
  };
  const Row rows[] = {
      {tr("across"), [](const Similarity& m) { return m.dx; }, width, 1, 1, " px"},
      {tr("down"), [](const Similarity& m) { return m.dy; }, width, 1, 1, " px"},
      {tr("turn"), [](const Similarity& m) { return m.angle; }, degrees, 0.02, 2, "°"}};
  QFont small = p.font();
  small.setPixelSize(text_px(9));
  p.setFont(small);
  const double h = r.height() / 3;
  for (int k = 0; k < 3; ++k) {
    const Row& row = rows[k];
    const QRectF band(r.left(), r.top() + k * h, r.width(), h);
    std::vector<double> measured, stays;
    double low = 1e9, high = -1e9;
    for (std::size_t i = 0; i < moves.size(); ++i) {
      const bool known = counts[i] > 0;
      measured.push_back(known ? row.unit * row.value(moves[i]) : NAN);
      stays.push_back(known ? row.unit * row.value(path[i]) : NAN);
      if (known) low = std::min(low, measured.back()), high = std::max(high, measured.back());
    }
    if (low > high) continue;
    const double middle = (low + high) / 2, half = std::max(row.least, (high - low) / 2);
    if (k > 0) {
      p.setPen(QPen(colour::line, 1));
      p.drawLine(band.topLeft(), band.topRight());
    }
    const Trace trace{p, band, scale, middle - half, middle + half};
    trace.draw(measured, QPen(colour::shot, 1.1));
    if (steady.how != Steadying::off) trace.draw(stays, QPen(colour::moon, 1.4));
    const QString words =
        QString("%1 ±%2%3").arg(row.name).arg(half, 0, 'f', row.decimals).arg(row.of);
    const QRectF box(band.left() + 3, band.top() + 1, p.fontMetrics().horizontalAdvance(words) + 4,
                     text_px(11));
    p.fillRect(box, QColor(0x1f, 0x1f, 0x20, 210));
    p.setPen(colour::quiet);
    p.drawText(box, Qt::AlignCenter, words);
  }
  // Knocks: a notch in coral from above.
  for (int bump : find_bumps(moves, counts)) {
    const double x = scale.x_of(bump - 0.5);
    if (x < r.left() || x > r.right()) continue;
    p.setPen(Qt::NoPen);
    p.setBrush(colour::coral);
    p.drawPolygon(
        QPolygonF({QPointF(x - 4, r.top()), QPointF(x + 4, r.top()), QPointF(x, r.top() + 7)}));
    p.setPen(QPen(colour::coral, 1, Qt::DotLine));
    p.drawLine(QPointF(x, r.top() + 7), QPointF(x, r.bottom()));
  }
}

}  // namespace tsukimi::app
