// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/motion_lane.h"

#include <cmath>
#include <numbers>

#include "app/timeline/trace.h"
#include "app/widgets/style.h"
#include "document/pace/film_frames.h"
#include "motion/track.h"

namespace tsukimi::app {
namespace {

// One of what a movement is made of.
struct Part {
  const char* name;
  double (*value)(const Similarity&);
  double unit;   // what is shown for 1 of the value
  double least;  // half of what its row shows at least
  int decimals;
  const char* suffix;
};

// As measured, and as the film will have it; NaN: not measured.
struct Row {
  std::vector<double> measured, steadied;
  double low = 1e9, high = -1e9;  // of what is measured
};

Row row_of(const Part& part, const std::vector<Similarity>& moves,
           const std::vector<Similarity>& path, const std::vector<double>& counts) {
  Row out;
  for (std::size_t i = 0; i < moves.size(); ++i) {
    const bool known = counts[i] > 0;
    const double value = part.unit * part.value(moves[i]);
    out.measured.push_back(known ? value : NAN);
    out.steadied.push_back(known ? part.unit * part.value(path[i]) : NAN);
    if (known) out.low = std::min(out.low, value), out.high = std::max(out.high, value);
  }
  return out;
}

void paint_name(QPainter& p, const QRectF& band, const QString& words) {
  const QRectF box(band.left() + 3, band.top() + 1, p.fontMetrics().horizontalAdvance(words) + 4,
                   text_px(11));
  p.fillRect(box, QColor(0x1f, 0x1f, 0x20, 210));
  p.setPen(colour::quiet);
  p.drawText(box, Qt::AlignCenter, words);
}

// A notch in coral from above.
void paint_knock(QPainter& p, const QRectF& r, double x) {
  if (x < r.left() || x > r.right()) return;
  constexpr double kWide = 4, kDeep = 7;  // px
  const QPointF tip(x, r.top() + kDeep);
  p.setPen(Qt::NoPen);
  p.setBrush(colour::coral);
  p.drawPolygon(QPolygonF({QPointF(x - kWide, r.top()), QPointF(x + kWide, r.top()), tip}));
  p.setPen(QPen(colour::coral, 1, Qt::DotLine));
  p.drawLine(tip, QPointF(x, r.bottom()));
}

}  // namespace

void MotionLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const Shoot& shoot = session_.document.shoot();
  const SteadySettings& steady = shoot.decisions.framing.steady;
  if (!shoot.motion) {
    p.setPen(colour::quiet);
    p.drawText(r, Qt::AlignCenter,
               steady.how == Steadying::stars
                   ? tr("The stars are held: the camera's own movement is not looked at.")
               : steady.how == Steadying::off
                   ? tr("How the camera moved is measured when the film is steadied.")
                   : tr("How the camera moved is being measured."));
    return;
  }
  const double width = shoot.sequence.size.width, degrees = 180 / std::numbers::pi;
  const Part parts[] = {
      {QT_TR_NOOP("across"), [](const Similarity& m) { return m.dx; }, width, 1, 1, " px"},
      {QT_TR_NOOP("down"), [](const Similarity& m) { return m.dy; }, width, 1, 1, " px"},
      {QT_TR_NOOP("turn"), [](const Similarity& m) { return m.angle; }, degrees, 0.02, 2, "°"}};
  const auto moves = moves_of(shoot);
  const auto counts = kept_counts(shoot);
  const auto path = steady_path(moves, counts, steady.how, steady.period);
  QFont small = p.font();
  small.setPixelSize(text_px(9));
  p.setFont(small);
  QRectF band(r.left(), r.top(), r.width(), r.height() / std::size(parts));
  for (const Part& part : parts) {
    const Row row = row_of(part, moves, path, counts);
    if (row.low <= row.high) {
      const double middle = (row.low + row.high) / 2,
                   half = std::max(part.least, (row.high - row.low) / 2);
      if (&part != parts) {
        p.setPen(QPen(colour::line, 1));
        p.drawLine(band.topLeft(), band.topRight());
      }
      const Trace trace{p, band, scale, middle - half, middle + half};
      trace.draw(row.measured, QPen(colour::shot, 1.1));
      if (steady.how != Steadying::off) trace.draw(row.steadied, QPen(colour::moon, 1.4));
      paint_name(
          p, band,
          QString("%1 ±%2%3").arg(tr(part.name)).arg(half, 0, 'f', part.decimals).arg(part.suffix));
    }
    band.translate(0, band.height());
  }
  for (int bump : find_bumps(moves, counts)) paint_knock(p, r, scale.x_of(bump - 0.5));
}

}  // namespace tsukimi::app
