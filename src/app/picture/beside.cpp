// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/beside.h"

#include "app/picture/light_lens.h"
#include "app/picture/remarks.h"
#include "app/widgets/style.h"

namespace tsukimi::app {

Rendering compared_with(const Session& session) {
  return session.compare.with() == Compare::With::as_shot ? Rendering::as_shot
                                                          : Rendering::compared;
}

void Beside::choose() {
  const Moment now = session_.playhead.moment();
  const Picture both[2] = {preview_.get(now, compared_with(session_)),
                           preview_.get(now, Rendering::live)};
  if (both[0].isNull() || both[1].isNull()) return;
  const quint64 lens = session_.judging.serial();
  if (pair_.moment == now && pair_.lens == lens && pair_.of[0] == both[0].image.cacheKey() &&
      pair_.of[1] == both[1].image.cacheKey())
    return;
  pair_ = {now, lens, {both[0].image.cacheKey(), both[1].image.cacheKey()}, {both[0], both[1]}};
  for (const int side : {0, 1})
    if (const float* by = session_.judging.departures(now.frame, side == 0))
      pair_.seen[side].image = exaggerated(both[side].image, both[side].shows, by, Judging::kTimes);
}

void Beside::paint(QPainter& p, QSize widget, const Canvas& canvas) {
  choose();
  if (pair_.seen[0].isNull())
    return paint_words(p, widget, QObject::tr("The frame is being read."), colour::quiet);
  constexpr double kGap = 6, kMargin = 8;
  const double head = text_px(26), w = canvas.target.width(), h = canvas.target.height();
  const double scale = std::min((widget.width() - 2 * kMargin - kGap) / 2 / w,
                                (widget.height() - 2 * kMargin - head) / h);
  const QSizeF size(w * scale, h * scale);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  const QString words[2] = {session_.compare.before(), session_.compare.after()};
  for (const int side : {0, 1}) {
    const QRectF box({widget.width() / 2.0 + (side ? kGap / 2 : -kGap / 2 - size.width()),
                      (widget.height() - size.height() + head) / 2},
                     size);
    p.setPen(side ? colour::text : colour::quiet);
    p.drawText(QRectF(box.topLeft() - QPointF(0, head - 4), QSizeF(size.width(), head - 6)),
               Qt::AlignCenter, words[side]);
    const QImage& image = pair_.seen[side].image;
    p.save();
    p.setClipRect(box);
    const Placement& shows = pair_.seen[side].shows;
    const QRectF all({}, QSizeF(image.size()));
    // A picture of the film lies where the film does; one of the whole frame round it.
    const bool whole = shows.part() == Rect{} && !shows.is_turned();
    p.setTransform(
        whole ? QTransform::fromScale(1.0 / image.width(), 1.0 / image.height()) *
                    from_frame(canvas.shown, box)
              : QTransform::fromScale(box.width() / all.width(), box.height() / all.height()) *
                    QTransform::fromTranslate(box.left(), box.top()),
        true);
    p.drawImage(QPointF(), image);
    p.restore();
  }
  if (session_.judging.lens())
    paint_plate(p, {kMargin, kMargin}, QObject::tr("changes of light ×8"), false);
}

}  // namespace tsukimi::app
