#include "app/timeline/marks_lane.h"

#include <QPainterPath>

#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

// Discs of the first and the last frame reach beyond their lane.
static void clip(QPainter& p, const QRectF& r) { p.setClipRect(r.adjusted(0, -4, 6, 8)); }

static void paint_key(QPainter& p, const QRectF& r, double x, bool here) {
  if (x < r.left() - 6 || x > r.right() + 6) return;
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(here ? colour::text : QColor(0x1f, 0x1f, 0x20), 1.2));
  p.setBrush(colour::moon);
  p.drawEllipse(QPointF(x, r.center().y()), here ? 6.5 : 5.5, here ? 6.5 : 5.5);
}

void MarksLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const auto& s = session_.document.shoot().sequence;
  const double y = r.center().y();
  clip(p, r);
  p.setPen(QPen(QColor(0x3d, 0x3d, 0x3e), 1));
  p.drawLine(
      QPointF(std::max(r.left(), scale.x_of(0)), y),
      QPointF(std::min(r.right(), scale.x_of(session_.document.shoot().frame_count() - 1)), y));
  // Gaps are notches: the line is cut, with the number of frames that are missing.
  QFont small = p.font();
  small.setPixelSize(9);
  p.setFont(small);
  for (const auto& g : s.gaps) {
    const double x = scale.x_of(g.after + 0.5);
    if (x < r.left() || x > r.right()) continue;
    p.fillRect(QRectF(x - 3, y - 3, 6, 6), QColor(0x1f, 0x1f, 0x20));
    p.setPen(QPen(colour::coral, 1.3));
    p.drawLine(QPointF(x - 5, y - 6), QPointF(x - 2, y + 1));
    p.drawLine(QPointF(x - 2, y + 1), QPointF(x + 2, y + 1));
    p.drawLine(QPointF(x + 2, y + 1), QPointF(x + 5, y - 6));
    p.drawText(QRectF(x - 30, y + 3, 60, 10), Qt::AlignCenter,
               QString("%1 missing").arg(g.missing));
  }
  // Frames set aside are hatched, those that cannot be used in coral; a line below says that the
  // film has a made picture there.
  for (int i = 0; i < session_.document.shoot().frame_count(); ++i) {
    const bool aside = is_set_aside(session_.document.shoot(), i), usable = s.frames[i].usable();
    if (usable && !aside) continue;
    const QRectF box(scale.x_of(i - 0.5), r.top() + 2,
                     std::max(3.0, scale.x_of(i + 0.5) - scale.x_of(i - 0.5)), r.height() - 4);
    p.fillRect(box, QBrush(usable ? colour::shot : colour::coral, Qt::BDiagPattern));
    const auto film = film_frame_at(session_.document.shoot(), i);
    if (aside && film && film->made())
      p.fillRect(QRectF(box.left(), r.bottom() - 2.5, box.width(), 2.5), colour::moon);
  }
  // Suspects that nobody has looked at: a small flag on a stem.
  for (const auto& suspect : session_.light.suspects()) {
    const double x = scale.x_of(suspect.frame);
    if (!session_.checking.is_open(suspect) || x < r.left() || x > r.right()) continue;
    p.setPen(QPen(colour::coral, 1.2));
    p.drawLine(QPointF(x, r.top() + 2), QPointF(x, r.bottom() - 2));
    QPainterPath flag(QPointF(x, r.top() + 2));
    flag.lineTo(x + 7, r.top() + 5.5);
    flag.lineTo(x, r.top() + 9);
    p.fillPath(flag, colour::coral);
  }
  for (int key : key_places(session_.document.shoot())) paint_key(p, r, scale.x_of(key), false);
}

void MarksLane::paint_here(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const int frame = session_.playhead.frame();
  if (!has_key(session_.document.shoot(), frame)) return;
  clip(p, r);
  paint_key(p, r, scale.x_of(frame), true);
}

}  // namespace tsukimi::app
