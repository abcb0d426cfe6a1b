// SPDX-License-Identifier: GPL-3.0-or-later
// Draws a picture where it lies on the canvas, and the marks on what is lost in it. What was drawn
// last is kept in the size in which it was seen: it is drawn again before the next one is there.
#pragma once

#include <QPixmap>
#include <optional>

#include "app/picture/canvas.h"
#include "app/picture/preview.h"

namespace tsukimi::app {

// Where a picture that shows `part` of the frame lies on the canvas; nothing: it is turned there.
// A picture of the film is seen where the film is, whatever frame or settings it is of.
std::optional<QRectF> rect_on(const Canvas& canvas, const Placement& part);

class DrawnPicture {
 public:
  // Cut off at `clip`: a picture of the whole frame reaches beyond the part that is seen.
  // zoomed: it does not fit. fine: when enlarged, each of its pixels is to be seen.
  struct How {
    QRectF clip;
    bool zoomed = false, fine = false;
  };
  void draw(QPainter& p, const Canvas& canvas, const Picture& picture, const How& how);
  // In the part of the picture that lies in the widget of this size.
  void draw_clipping(QPainter& p, const Canvas& canvas, const Picture& picture, QSize widget);

 private:
  struct Scaled {
    qint64 of = 0;  // the image's key
    QSize pixels;
    QPixmap pixmap;
  } scaled_;
  struct Marks {
    qint64 of = 0;
    QRectF part;
    QSize pixels;
    QImage image;
  } marks_;
};

}  // namespace tsukimi::app
