// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/drawn_picture.h"

#include "app/picture/clipping.h"

namespace tsukimi::app {

std::optional<QRectF> rect_on(const Canvas& canvas, const Placement& part) {
  const bool whole = canvas.shown.part() == Rect{} && !canvas.shown.is_turned();
  if (!whole && (part.part() != Rect{} || part.is_turned())) return canvas.target;
  if (canvas.shown.is_turned() || part.is_turned()) return {};
  return canvas.to_widget(part.part());
}

static double pixel_ratio(const QPainter& p) { return p.device()->devicePixelRatioF(); }

void DrawnPicture::draw(QPainter& p, const Canvas& canvas, const Picture& picture, const How& how) {
  if (picture.isNull()) return;
  p.save();
  p.setClipRect(how.clip);
  const auto lies = rect_on(canvas, picture.shows);
  if (!lies) {
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRectF all({}, QSizeF(picture.image.size()));
    p.setTransform(from_frame(picture.shows, all).inverted() * canvas.from_frame(), true);
    p.drawImage(QPointF(), picture.image);
    p.restore();
    return;
  }
  const QSize pixels = (lies->size() * pixel_ratio(p)).toSize();
  if (how.zoomed || pixels == picture.image.size()) {
    // Larger than life a fine picture's pixels are to be seen: not smoothed.
    constexpr double kLargerThanLife = 1.5;
    p.setRenderHint(QPainter::SmoothPixmapTransform,
                    pixels.width() <= kLargerThanLife * picture.image.width() || !how.fine);
    p.drawImage(*lies, picture.image);
  } else {
    if (scaled_.of != picture.image.cacheKey() || scaled_.pixels != pixels) {
      scaled_ = {picture.image.cacheKey(), pixels, QPixmap(pixels)};
      QPainter into(&scaled_.pixmap);
      into.setRenderHint(QPainter::SmoothPixmapTransform);
      into.drawImage(QRect({}, pixels), picture.image);
    }
    p.drawPixmap(*lies, scaled_.pixmap, QRectF({}, QSizeF(pixels)));
  }
  p.restore();
}

void DrawnPicture::draw_clipping(QPainter& p, const Canvas& canvas, const Picture& picture,
                                 QSize widget) {
  const auto lies = rect_on(canvas, picture.shows);
  if (!lies) return;
  const QRectF seen = lies->intersected(QRectF({}, QSizeF(widget))).intersected(canvas.target);
  const double sx = picture.image.width() / lies->width(),
               sy = picture.image.height() / lies->height();
  const QRectF part((seen.x() - lies->x()) * sx, (seen.y() - lies->y()) * sy, seen.width() * sx,
                    seen.height() * sy);
  const QSize pixels = (seen.size() * pixel_ratio(p)).toSize();
  if (marks_.of != picture.image.cacheKey() || marks_.part != part || marks_.pixels != pixels)
    marks_ = {picture.image.cacheKey(), part, pixels, clipping_marks(picture.image, part, pixels)};
  p.drawImage(seen, marks_.image);
}

}  // namespace tsukimi::app
