// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/marks_lane.h"

#include <QPainterPath>

#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

// Discs of the first and the last frame reach beyond their lane.
static void clip(QPainter& p, const QRectF& r) { p.setClipRect(r.adjusted(0, -4, 6, 8)); }

constexpr double kReach = 6;  // px on both sides of an end

void MarksLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const auto& s = session_.document.shoot().sequence;
  const double y = r.center().y();
  clip(p, r);
  const auto [in, out] = film_range(session_.document.shoot());
  const double a = scale.x_of(in), b = scale.x_of(out);
  p.setPen(QPen(colour::faint, 2));
  p.drawLine(QPointF(std::max(r.left(), a), y), QPointF(std::min(r.right(), b), y));
  // Its ends: brackets.
  p.setPen(QPen(colour::text, 1.6));
  for (const auto& [x, side] : {std::pair{a, 1}, {b, -1}}) {
    p.drawLine(QPointF(x, r.top() + 3), QPointF(x, r.bottom() - 3));
    p.drawLine(QPointF(x, r.top() + 3), QPointF(x + side * 4, r.top() + 3));
    p.drawLine(QPointF(x, r.bottom() - 3), QPointF(x + side * 4, r.bottom() - 3));
  }
  // Gaps are notches: the line is cut, with the number of frames that are missing.
  QFont small = p.font();
  small.setPixelSize(text_px(9));
  p.setFont(small);
  for (const auto& g : s.gaps) {
    const double x = scale.x_of(g.after + 0.5);
    if (x < r.left() || x > r.right()) continue;
    p.fillRect(QRectF(x - 3, y - 3, 6, 6), QColor(0x1f, 0x1f, 0x20));
    p.setPen(QPen(colour::coral, 1.3));
    p.drawLine(QPointF(x - 5, y - 6), QPointF(x - 2, y + 1));
    p.drawLine(QPointF(x - 2, y + 1), QPointF(x + 2, y + 1));
    p.drawLine(QPointF(x + 2, y + 1), QPointF(x + 5, y - 6));
    p.drawText(QRectF(x - 40, y + 3, 80, text_px(10)), Qt::AlignCenter,
               tr("%1 missing").arg(g.missing));
  }
  // Frames set aside are hatched, those that cannot be used in coral; a line below says that the
  // film has a made picture there.
  for (int i = 0; i < session_.document.shoot().frame_count(); ++i) {
    const bool aside = is_set_aside(session_.document.shoot(), i), usable = s.frames[i].usable();
    if (usable && !aside) continue;
    const QRectF box(scale.x_of(i - 0.5), r.top() + 2,
                     std::max(3.0, scale.x_of(i + 0.5) - scale.x_of(i - 0.5)), r.height() - 4);
    p.fillRect(box, QBrush(usable ? colour::shot : colour::coral, Qt::BDiagPattern));
    const auto film = session_.document.courses().film.at(i);
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
}

MarksLane::End MarksLane::end_at(QPointF at, const TimeScale& scale) const {
  const auto [in, out] = film_range(session_.document.shoot());
  const double a = std::fabs(at.x() - scale.x_of(in)), b = std::fabs(at.x() - scale.x_of(out));
  return std::min(a, b) > kReach ? End::none : a <= b ? End::in : End::out;
}

bool MarksLane::press(QPointF at, const QRectF&, const TimeScale& scale) {
  dragged_ = end_at(at, scale);
  ++serial_;
  return dragged_ != End::none;
}

void MarksLane::drag(QPointF at, const TimeScale& scale) {
  const Shoot& shoot = session_.document.shoot();
  const auto [in, out] = film_range(shoot);
  const int frame = static_cast<int>(std::lround(scale.frame_at(at.x())));
  const bool first = dragged_ == End::in;
  const int to = first ? std::clamp(frame, 0, out) : std::clamp(frame, in, shoot.frame_count() - 1);
  session_.document.edit(
      first ? tr("Set in") : tr("Set out"),
      [&](Shoot& s) { first ? set_film_range(s, to, out) : set_film_range(s, in, to); },
      tr("film end, drag %1").arg(serial_));
  session_.playhead.set_frame(to);
}

QString MarksLane::tip(QPointF at, const QRectF&, const TimeScale& scale) const {
  const End end = end_at(at, scale);
  return end == End::in    ? tr("The film begins here. Drag, or I at the playhead.")
         : end == End::out ? tr("The film ends here. Drag, or O at the playhead.")
                           : QString();
}

Qt::CursorShape MarksLane::cursor(QPointF at, const QRectF&, const TimeScale& scale) const {
  return end_at(at, scale) == End::none ? Qt::ArrowCursor : Qt::SizeHorCursor;
}

}  // namespace tsukimi::app
