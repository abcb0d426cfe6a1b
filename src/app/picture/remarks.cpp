// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/remarks.h"

#include "app/widgets/style.h"
#include "camera/file_kind.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {
constexpr int kGap = 8;        // px between a plate and the picture's edges
constexpr int kWordsGap = 40;  // px beside words
}  // namespace

void paint_frame_remark(QPainter& p, const Canvas& canvas, const Session& session, bool before) {
  const int frame = session.playhead.frame();
  const QPointF corner = canvas.target.topLeft() + QPointF(kGap, kGap);
  if (!is_set_aside(session.document.shoot(), frame)) {
    const Suspect* suspect = session.light.suspect_at(frame);
    if (suspect && session.checking.is_open(*suspect))
      paint_plate(p, corner, QString::fromStdString(suspect->reason), true);
    return;
  }
  const auto film = session.document.courses().film.at(frame);
  const bool made = film && film->made();
  const QString text =
      made && !before ? QObject::tr("set aside · made from frames %1 and %2 · B shows the original")
                            .arg(film->parts.front().frame + 1)
                            .arg(film->parts.back().frame + 1)
      : made ? QObject::tr("set aside · as shot")
             : QObject::tr("set aside · the film closes up here");
  paint_plate(p, corner, text, true);
}

void paint_source_remark(QPainter& p, const Canvas& canvas, const Session& session,
                         const ShownPicture& shown, QSize widget) {
  if (shown.before()) return;
  const auto& file = session.document.shoot().sequence.frames[session.playhead.frame()].file;
  const bool cannot = shown.file_cannot_be_read();
  const QString text = cannot ? QObject::tr("live · the file cannot be read")
                       : shown.picture().lacks_trail    ? QObject::tr("its trails are on their way")
                       : !shown.at_rest()               ? QObject::tr("live")
                       : kind_of(file) == FileKind::raw ? QObject::tr("from raw")
                                                        : QObject::tr("from file");
  QFont small = p.font();
  small.setPixelSize(text_px(10));
  p.setFont(small);
  const QRectF seen = canvas.target.intersected(QRectF({}, QSizeF(widget)));
  const QSizeF plate = plate_size(p, text);
  paint_plate(p, seen.bottomRight() - QPointF(plate.width() + kGap, plate.height() + kGap), text,
              cannot);
}

void paint_words(QPainter& p, QSize widget, const QString& text, const QColor& pen) {
  p.setPen(pen);
  p.drawText(QRect({}, widget).adjusted(kWordsGap, 0, -kWordsGap, 0),
             Qt::AlignCenter | Qt::TextWordWrap, text);
}

}  // namespace tsukimi::app
