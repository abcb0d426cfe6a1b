// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/picture_view.h"

#include <QMouseEvent>
#include <cmath>

#include "app/convert/path_text.h"
#include "app/picture/clipping.h"
#include "app/picture/neighbours.h"
#include "app/widgets/style.h"
#include "camera/file_kind.h"
#include "document/framing/output_size.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {
constexpr int kMargin = 8;  // px round the picture
constexpr int kRest = 150;  // ms without a movement
}  // namespace

PictureView::PictureView(Session& session, Preview& preview, QWidget* parent)
    : QWidget(parent), session_(session), preview_(preview) {
  setObjectName("picture");
  setAccessibleName(tr("Picture"));
  surround_ = colour::ground;
  setMinimumSize(320, 200);
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  rest_.setSingleShot(true);
  rest_.setInterval(kRest);
  auto refresh = [this] { update(); };
  connect(&rest_, &QTimer::timeout, this, refresh);
  connect(&session_.document, &Document::changed, this, &PictureView::moved);
  connect(&session_.light, &LightWork::changed, this, &PictureView::moved);
  connect(&session_.playhead, &Playhead::frame_changed, this, &PictureView::moved);
  connect(&session_.playhead, &Playhead::playing_changed, this, &PictureView::moved);
  connect(&session_.look, &LookWork::tried_changed, this, &PictureView::moved);
  connect(&session_.compare, &Compare::changed, this, &PictureView::moved);
  connect(&session_.places, &PlaceWork::changed, this, &PictureView::moved);
  connect(&session_.repairs, &RepairWork::changed, this, &PictureView::moved);
  connect(&session_.document, &Document::opened, this, [this] {
    shown_ = {};
    failed_frame_ = unfinished_ = -1;
    moved();
  });
  connect(&session_.opener, &Opener::opening_changed, this, refresh);
  connect(&preview_, &Preview::ready, this, [this](int frame) {
    if (frame == failed_frame_) failed_frame_ = -1;
    if (frame == session_.playhead.frame()) update();
  });
  retry_.setSingleShot(true);
  retry_.setInterval(1000);
  connect(&retry_, &QTimer::timeout, this, [this] {
    if (!session_.document.is_open()) return;
    unfinished_ = -1;
    if (failed_frame_ == session_.playhead.frame()) (void)preview_.get(failed_frame_, shown_kind());
    update();
  });
  connect(&preview_, &Preview::failed, this, [this](int frame, Rendering kind, const QString& why) {
    if (frame != session_.playhead.frame() || is_small(kind) || kind == Rendering::compared) return;
    (kind == Rendering::finished ? unfinished_ : failed_frame_) = frame;
    failure_ = why;
    retry_.start();
    update();
  });
}

void PictureView::set_tool(PictureTool* tool) {
  tool_ = tool;
  setCursor(tool ? tool->cursor() : Qt::ArrowCursor);
  moved();
}
void PictureView::moved() {
  finished_ = false;
  rest_.start();
  update();
}
void PictureView::set_before(bool on) { before_ = on, update(); }
void PictureView::set_seam(bool on) { seam_.on = on, update(); }
void PictureView::set_neighbours(bool on) { neighbours_ = on, update(); }
void PictureView::set_clipping(bool on) { clipping_ = on, update(); }
void PictureView::set_finish_at_rest(bool on) { finishes_ = on, moved(); }
void PictureView::set_surround(const QColor& colour) { surround_ = colour, update(); }
void PictureView::set_bare(bool on) { bare_ = on, moved(); }

void PictureView::set_zoom(double zoom) {
  if (zoom == zoom_.scale) return;
  zoom_.scale = zoom;
  moved();
  emit zoom_changed();
}

bool PictureView::up_to_date() const {
  return session_.document.is_open() &&
         !preview_.get(session_.playhead.moment(), Rendering::live, false).isNull();
}

std::shared_ptr<const Histogram> PictureView::sensor_tones() const {
  if (!session_.document.is_open()) return {};
  return preview_.get(session_.playhead.frame(), Rendering::live).sensor;
}

bool PictureView::whole_frame() const {
  return !session_.document.is_open() || (tool_ && tool_->shows_whole_frame());
}

Placement PictureView::visible() const {
  if (whole_frame()) return Rect{};
  const FramingCourse& framing = session_.document.courses().framing;
  const Moment now = session_.playhead.moment();
  const Size size = output_size(session_.document.shoot(), framing);
  return now.film >= 0 ? framing.film(now.film, now.frame, size) : framing.film(now.frame, size);
}

QSizeF PictureView::fit() const {
  const Shoot& shoot = session_.document.shoot();
  const Size all =
      whole_frame() ? shoot.sequence.size : output_size(shoot, session_.document.courses().framing);
  const double w = all.width, h = all.height;
  const double scale = std::min((width() - 2 * margin()) / w, (height() - 2 * margin()) / h);
  // Whole pixels: then the picture, made in that size, is drawn as it is.
  return {std::round(w * scale), std::round(h * scale)};
}

int PictureView::margin() const { return bare_ ? 0 : kMargin; }

Size PictureView::natural() const {
  const Shoot& shoot = session_.document.shoot();
  if (whole_frame()) return natural_size(shoot.sequence.size, Rect{});
  const FramingCourse& framing = session_.document.courses().framing;
  return framing.smallest(output_size(shoot, framing));
}

double PictureView::fit_scale() const {
  return fit().width() * devicePixelRatioF() / natural().width;
}

Canvas PictureView::canvas() const {
  QSizeF size = fit();
  QPointF centre(width() / 2.0, height() / 2.0);
  if (!zoom_.fits()) {
    const Size all = natural();
    size = QSizeF(std::round(all.width * zoom_.scale), std::round(all.height * zoom_.scale)) /
           devicePixelRatioF();
    centre -=
        QPointF((zoom_.centre.x() - 0.5) * size.width(), (zoom_.centre.y() - 0.5) * size.height());
  }
  return {{QPointF(std::floor(centre.x() - size.width() / 2),
                   std::floor(centre.y() - size.height() / 2)),
           size},
          visible(),
          session_.document.is_open() ? aspect_of(session_.document.shoot()) : 1};
}

// Where a picture lies on the canvas, when it is not turned there. One of the film is seen where
// the film is, whatever frame or settings it is of.
static std::optional<QRectF> rect_on(const Canvas& canvas, const Placement& part) {
  const bool whole = canvas.shown.part() == Rect{} && !canvas.shown.is_turned();
  if (!whole && (part.part() != Rect{} || part.is_turned())) return canvas.target;
  if (canvas.shown.is_turned() || part.is_turned()) return {};
  return canvas.to_widget(part.part());
}

// A picture of the whole frame reaches beyond the part that is seen.
void PictureView::paint_picture(QPainter& p, const Canvas& canvas, const Picture& picture,
                                const QRectF& clip) {
  if (picture.isNull()) return;
  p.save();
  p.setClipRect(clip);
  const auto lies = rect_on(canvas, picture.shows);
  if (!lies) {
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRectF all({}, QSizeF(picture.image.size()));
    p.setTransform(from_frame(picture.shows, all).inverted() * canvas.from_frame(), true);
    p.drawImage(QPointF(), picture.image);
    p.restore();
    return;
  }
  const QRectF to = *lies;
  const QSize pixels = (to.size() * devicePixelRatioF()).toSize();
  if (!zoom_.fits() || pixels == picture.image.size()) {
    // Larger than life each pixel is to be seen.
    p.setRenderHint(
        QPainter::SmoothPixmapTransform,
        pixels.width() <= 1.5 * picture.image.width() || &picture != &shown_ || !finished_);
    p.drawImage(to, picture.image);
  } else {
    if (scaled_.of != picture.image.cacheKey() || scaled_.pixels != pixels) {
      scaled_ = {picture.image.cacheKey(), pixels, QPixmap(pixels)};
      QPainter into(&scaled_.pixmap);
      into.setRenderHint(QPainter::SmoothPixmapTransform);
      into.drawImage(QRect({}, pixels), picture.image);
    }
    p.drawPixmap(to, scaled_.pixmap, QRectF({}, QSizeF(pixels)));
  }
  p.restore();
}

void PictureView::paint_words(QPainter& p, const QString& text, const QColor& pen) {
  p.setPen(pen);
  p.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap, text);
}

void PictureView::paint_first_look(QPainter& p, const QImage& first) {
  const QSizeF size =
      QSizeF(first.size())
          .scaled(width() - 2 * margin(), height() - 2 * margin(), Qt::KeepAspectRatio);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(QRectF(QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size),
              first);
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
    return paint_words(p,
                       tr("Drop a folder of frames here, or open one (Ctrl+O).\nThe originals are "
                          "only ever read."),
                       colour::quiet);
  }
  if (neighbours_) return paint_neighbours(p, size(), canvas(), session_, preview_);
  paint_frame(p, canvas());
}

void PictureView::paint_frame(QPainter& p, const Canvas& canvas) {
  const Shoot& shoot = session_.document.shoot();
  const Moment now = session_.playhead.moment();
  const int frame = now.frame;
  const auto& facts = shoot.sequence.frames[frame];
  const auto film = session_.document.courses().film.at(frame);
  const bool made = now.film >= 0 || (film && film->made());
  const QSize pixels = (fit() * devicePixelRatioF()).toSize();
  const Size all = natural();
  // As many pixels as are seen, and no more than there are.
  const double scale = std::min(1.0, zoom_.fits() ? fit_scale() : zoom_.scale);
  const QSize finished = zoom_.fits() && scale < 1
                             ? pixels
                             : QSize(static_cast<int>(std::lround(all.width * scale)),
                                     static_cast<int>(std::lround(all.height * scale)));
  preview_.set_view(whole_frame(), pixels, finished);
  if (failed_frame_ == frame) return paint_words(p, failure_, colour::coral);
  if (!facts.usable() && (!made || before_))
    return paint_words(p,
                       shown_path(facts.file) + " " + QString::fromStdString(facts.problem) +
                           ".\nIt is left out; everything else goes on.",
                       colour::coral);
  Picture picture = preview_.get(now, shown_kind());
  const bool was = std::exchange(finished_, false);
  if (finishes_ && !before_ && !rest_.isActive() && !session_.playhead.playing() &&
      unfinished_ != frame)
    if (const Picture fine = preview_.get(now, Rendering::finished, false); !fine.isNull()) {
      picture = fine;
      finished_ = true;
      if (!was) QMetaObject::invokeMethod(this, &PictureView::rested, Qt::QueuedConnection);
    }
  if (!picture.isNull()) {
    if (shown_.image.cacheKey() != picture.image.cacheKey())
      QMetaObject::invokeMethod(this, &PictureView::shown_changed, Qt::QueuedConnection);
    shown_ = picture;
  }
  if (shown_.isNull()) return paint_words(p, tr("The frame is being read."), colour::quiet);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  paint_picture(p, canvas, shown_, canvas.target);
  if (seam_.on && !before_) {
    const bool shot = session_.compare.with() == Compare::With::as_shot;
    paint_picture(p, canvas, preview_.get(frame, shot ? Rendering::as_shot : Rendering::compared),
                  seam_.left_of(canvas));
    seam_.paint(p, canvas);
  }
  if (clipping_) paint_clipping(p, canvas);
  if (bare_) return;
  paint_remarks(p, canvas);
  paint_source(p, canvas);
  if (tool_) tool_->paint(p, canvas);
}

void PictureView::paint_clipping(QPainter& p, const Canvas& canvas) {
  const auto lies = rect_on(canvas, shown_.shows);
  if (!lies) return;
  const QRectF all = *lies, seen = all.intersected(QRectF(rect())).intersected(canvas.target);
  const double sx = shown_.image.width() / all.width(), sy = shown_.image.height() / all.height();
  const QRectF part((seen.x() - all.x()) * sx, (seen.y() - all.y()) * sy, seen.width() * sx,
                    seen.height() * sy);
  const QSize pixels = (seen.size() * devicePixelRatioF()).toSize();
  if (marks_.of != shown_.image.cacheKey() || marks_.part != part || marks_.pixels != pixels)
    marks_ = {shown_.image.cacheKey(), part, pixels, clipping_marks(shown_.image, part, pixels)};
  p.drawImage(seen, marks_.image);
}

std::optional<Pointed> PictureView::pointed() const {
  if (!pointer_ || !session_.document.is_open() || neighbours_) return {};
  const auto frame = static_cast<std::size_t>(session_.playhead.frame());
  const auto proxy =
      session_.light.store()->in_memory(session_.document.shoot().sequence.frames[frame]);
  const Canvas now = canvas();
  const auto lies = rect_on(now, shown_.shows);
  return lies ? pointed_at(*pointer_, now, *lies, shown_, proxy.get()) : std::nullopt;
}

// From what the picture was made.
void PictureView::paint_source(QPainter& p, const Canvas& canvas) {
  if (before_) return;
  const auto& file = session_.document.shoot().sequence.frames[session_.playhead.frame()].file;
  const bool cannot = unfinished_ == session_.playhead.frame();
  const QString text = cannot                           ? tr("live · the file cannot be read")
                       : !finished_                     ? tr("live")
                       : kind_of(file) == FileKind::raw ? tr("from raw")
                                                        : tr("from file");
  QFont small = font();
  small.setPixelSize(text_px(10));
  p.setFont(small);
  const QRectF seen = canvas.target.intersected(QRectF(rect()));
  const QSizeF plate = plate_size(p, text);
  paint_plate(p, seen.bottomRight() - QPointF(plate.width() + 8, plate.height() + 8), text, cannot);
}

void PictureView::paint_remarks(QPainter& p, const Canvas& canvas) {
  const int frame = session_.playhead.frame();
  const QPointF corner = canvas.target.topLeft() + QPointF(8, 8);
  if (!is_set_aside(session_.document.shoot(), frame)) {
    const Suspect* suspect = session_.light.suspect_at(frame);
    if (suspect && session_.checking.is_open(*suspect))
      paint_plate(p, corner, QString::fromStdString(suspect->reason), true);
    return;
  }
  const auto film = session_.document.courses().film.at(frame);
  const bool made = film && film->made();
  paint_plate(p, corner,
              made && !before_ ? tr("set aside · made from frames %1 and %2 · B shows the original")
                                     .arg(film->parts.front().frame + 1)
                                     .arg(film->parts.back().frame + 1)
              : made ? tr("set aside · as shot")
                     : tr("set aside · the film closes up here"),
              true);
}

void PictureView::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open()) return;
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
  if (!session_.document.is_open() || neighbours_) return;
  const int turned = e->angleDelta().y();
  if ((wheel_ > 0) != (turned > 0)) wheel_ = 0;
  wheel_ += turned;
  constexpr int kNotch = 120;
  const int notches = wheel_ / kNotch;
  wheel_ -= notches * kNotch;
  if (notches == 0) return;
  const Canvas before = canvas();
  const double wanted = zoom_.next(notches > 0 ? 1 : -1, fit_scale());
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
