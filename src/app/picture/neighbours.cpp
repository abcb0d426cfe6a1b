// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/neighbours.h"

#include "app/picture/canvas.h"
#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

void paint_neighbours(QPainter& p, QSize widget, const Canvas& canvas, Session& session,
                      Preview& preview) {
  const Shoot& s = session.document.shoot();
  const int frame = session.playhead.frame();
  auto kept = [&](int from, int step) {
    int f = from + step;
    while (f >= 0 && f < s.frame_count() && !is_kept(s, f)) f += step;
    return f >= 0 && f < s.frame_count() ? f : -1;
  };
  const int frames[3] = {kept(frame, -1), frame, kept(frame, 1)};
  const double w = canvas.target.width(), h = canvas.target.height();
  const double scale = std::min((widget.width() - 32.0) / 3 / w, (widget.height() - 60.0) / h);
  const QSizeF size(w * scale, h * scale);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  for (int k = 0; k < 3; ++k) {
    const QPointF at(widget.width() / 2.0 + (k - 1) * (size.width() + 6) - size.width() / 2,
                     (widget.height() - size.height()) / 2 + 10);
    const QRectF box(at, size);
    p.fillRect(box, colour::panel);
    const QString name =
        frames[k] < 0 ? QObject::tr("no frame")
        : k == 1      ? QObject::tr("frame %1").arg(frame + 1)
                 : QObject::tr("%1 · frame %2").arg(k ? "after" : "before").arg(frames[k] + 1);
    p.setPen(k == 1 ? colour::text : colour::quiet);
    p.drawText(QRectF(at - QPointF(0, 22), QSizeF(size.width(), 18)), Qt::AlignCenter, name);
    if (frames[k] < 0) continue;
    const FrameInfo& info = s.sequence.frames[frames[k]];
    const QImage image =
        info.usable() ? preview.get(frames[k], Rendering::as_shot).image : QImage();
    if (!image.isNull()) {
      p.save();
      p.setClipRect(box);
      p.setTransform(QTransform::fromScale(1.0 / image.width(), 1.0 / image.height()) *
                         from_frame(canvas.shown, box),
                     true);
      p.drawImage(QPointF(), image);
      p.restore();
    } else if (!info.usable())
      p.drawText(box, Qt::AlignCenter | Qt::TextWordWrap, QString::fromStdString(info.problem));
    if (k == 1) {
      p.setPen(QPen(colour::moon, 1));
      p.setBrush(Qt::NoBrush);
      p.drawRect(box.adjusted(-1, -1, 1, 1));
    }
  }
  if (const Suspect* suspect = session.light.suspect_at(frame)) {
    const QString reason = QString::fromStdString(suspect->reason);
    paint_plate(p,
                QPointF((widget.width() - plate_size(p, reason).width()) / 2,
                        (widget.height() + size.height()) / 2 + 18),
                reason, true);
  }
}

}  // namespace tsukimi::app
