// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/picture_view.h"

#include <QMouseEvent>

#include "app/picture/light_lens.h"
#include "app/picture/neighbours.h"
#include "app/picture/remarks.h"
#include "app/widgets/style.h"

namespace tsukimi::app {

constexpr int kMargin = 8;  // px round the picture

PictureView::PictureView(Session& session, Preview& preview, QWidget* parent)
    : QWidget(parent), session_(session), preview_(preview), surround_(colour::ground) {
  setObjectName("picture");
  setAccessibleName(tr("Picture"));
  setMinimumSize(320, 200);
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  connect(&shown_, &ShownPicture::to_draw, this, qOverload<>(&QWidget::update));
  connect(&session_.judging, &Judging::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.areas, &AreaWork::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.opener, &Opener::opening_changed, this, qOverload<>(&QWidget::update));
}

void PictureView::set_tool(PictureTool* tool) {
  tool_ = tool;
  setCursor(tool ? tool->cursor() : Qt::ArrowCursor);
  shown_.moved();
}
void PictureView::set_seam(bool on) { seam_.on = on, update(); }
void PictureView::set_neighbours(bool on) { neighbours_ = on, update(); }
void PictureView::set_clipping(bool on) { clipping_ = on, update(); }
void PictureView::set_surround(const QColor& colour) { surround_ = colour, update(); }
void PictureView::set_bare(bool on) { bare_ = on, shown_.moved(); }

void PictureView::set_zoom(double zoom) {
  if (zoom == zoom_.scale) return;
  zoom_.scale = zoom;
  shown_.moved();
  emit zoom_changed();
}

PictureFit PictureView::fit() const {
  const bool whole = !session_.document.is_open() || (tool_ && tool_->shows_whole_frame());
  return {session_, size(), devicePixelRatioF(), bare_ ? 0 : kMargin, whole};
}

void PictureView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), bare_ ? QColor(Qt::black) : surround_);
  if (const QImage first = session_.opener.first_look(); !first.isNull())
    return paint_first_look(p, first);
  if (!session_.document.is_open()) {
    QFont f = font();
    f.setPixelSize(text_px(15));
    p.setFont(f);
    return paint_words(p, size(),
                       tr("Drop a folder of frames here, or open one (Ctrl+O).\nThe originals are "
                          "only ever read."),
                       colour::quiet);
  }
  if (neighbours_) return paint_neighbours(p, size(), canvas(), session_, preview_);
  if (session_.judging.beside()) {
    const PictureFit fits = fit();
    preview_.set_view(fits.whole, fits.pixels(), fits.finished_pixels(zoom_));
    if (const QString problem = shown_.problem(); !problem.isEmpty())
      return paint_words(p, size(), problem, colour::coral);
    return beside_.paint(p, size(), fits.canvas(Zoom()));
  }
  paint_frame(p, canvas());
}

void PictureView::paint_first_look(QPainter& p, const QImage& first) {
  const QSize room = size() - 2 * QSize(fit().margin, fit().margin);
  const QSizeF seen = QSizeF(first.size()).scaled(room, Qt::KeepAspectRatio);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(QRectF(QPointF((width() - seen.width()) / 2, (height() - seen.height()) / 2), seen),
              first);
}

void PictureView::paint_frame(QPainter& p, const Canvas& canvas) {
  const PictureFit fits = fit();
  preview_.set_view(fits.whole, fits.pixels(), fits.finished_pixels(zoom_));
  if (const QString problem = shown_.problem(); !problem.isEmpty())
    return paint_words(p, size(), problem, colour::coral);
  shown_.choose();
  if (shown_.picture().isNull())
    return paint_words(p, size(), tr("The frame is being read."), colour::quiet);
  const Picture picture = through_lens(shown_.picture(), shown_.before());
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  drawn_.draw(p, canvas, picture, {canvas.target, !zoom_.fits(), shown_.at_rest()});
  if (seam_.on && !shown_.before()) paint_compared(p, canvas);
  if (clipping_) drawn_.draw_clipping(p, canvas, picture, size());
  if (bare_) return;
  paint_frame_remark(p, canvas, session_, shown_.before());
  paint_source_remark(p, canvas, session_, shown_, size());
  if (tool_) tool_->paint(p, canvas);
  if (session_.judging.lens())
    paint_plate(p, canvas.target.intersected(QRectF(rect())).topLeft() + QPointF(8, 8),
                tr("changes of light ×8"), false);
}

Picture PictureView::through_lens(const Picture& picture, bool before) {
  const float* by = session_.judging.departures(session_.playhead.frame(), before);
  if (!by) return picture;
  Seen& seen = seen_[before ? 0 : 1];
  const quint64 lens = session_.judging.serial();
  if (seen.of != picture.image.cacheKey() || seen.lens != lens) {
    seen = {picture.image.cacheKey(), lens, picture};
    seen.picture.image = exaggerated(picture.image, picture.shows, by, Judging::kTimes);
  }
  return seen.picture;
}

void PictureView::paint_compared(QPainter& p, const Canvas& canvas) {
  const Picture with = preview_.get(session_.playhead.frame(), compared_with(session_));
  if (with.isNull()) return;
  drawn_compared_.draw(p, canvas, through_lens(with, true),
                       {seam_.left_of(canvas), !zoom_.fits(), false});
  seam_.paint(p, canvas);
}

std::optional<Pointed> PictureView::pointed() const {
  if (!pointer_ || !session_.document.is_open() || neighbours_ || session_.judging.beside())
    return {};
  const auto frame = static_cast<std::size_t>(session_.playhead.frame());
  const auto proxy =
      session_.light.store()->in_memory(session_.document.shoot().sequence.frames[frame]);
  const Canvas now = canvas();
  const Picture& picture = shown_.picture();
  const auto lies = rect_on(now, picture.shows);
  return lies ? pointed_at(*pointer_, now, *lies, picture, proxy.get()) : std::nullopt;
}

void PictureView::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open() || session_.judging.beside()) return;
  const Canvas now = canvas();
  if (e->button() == Qt::MiddleButton && zoom_.press(e->position(), now)) {
    dragged_ = &zoom_;
    return;
  }
  if (e->button() != Qt::LeftButton) return;
  for (PictureTool* tool :
       {static_cast<PictureTool*>(&seam_), tool_, static_cast<PictureTool*>(&zoom_)})
    if (tool && tool->press(e->position(), now)) {
      dragged_ = tool;
      return;
    }
}

void PictureView::mouseMoveEvent(QMouseEvent* e) {
  pointer_ = e->position();
  emit pointer_moved();
  if (!dragged_) {
    if (tool_ && tool_->hover(e->position())) update();
    return;
  }
  dragged_->drag(e->position(), canvas());
  update();
}

void PictureView::leaveEvent(QEvent*) {
  pointer_.reset();
  emit pointer_moved();
}

// A notch is a step; the place below the pointer stays there.
void PictureView::wheelEvent(QWheelEvent* e) {
  if (!session_.document.is_open() || neighbours_ || session_.judging.beside()) return;
  const int turned = e->angleDelta().y();
  if ((wheel_ > 0) != (turned > 0)) wheel_ = 0;
  wheel_ += turned;
  constexpr int kNotch = 120;
  const int notches = wheel_ / kNotch;
  wheel_ -= notches * kNotch;
  if (notches == 0) return;
  const Canvas before = canvas();
  const double wanted = zoom_.next(notches > 0 ? 1 : -1, fit().scale());
  if (zoom_.fits()) zoom_.centre = {0.5, 0.5};
  set_zoom(wanted);
  if (!zoom_.fits()) zoom_.keep_in_place(e->position(), before, canvas());
  update();
}

void PictureView::mouseReleaseEvent(QMouseEvent*) {
  if (!dragged_) return;
  std::exchange(dragged_, nullptr)->release();
  update();
}

}  // namespace tsukimi::app
