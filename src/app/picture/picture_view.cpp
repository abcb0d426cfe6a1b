#include "app/picture/picture_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/widgets/path_text.h"
#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

PictureView::PictureView(Session& session, Preview& preview, QWidget* parent)
    : QWidget(parent), session_(session), preview_(preview) {
  setObjectName("picture");
  setMinimumSize(320, 200);
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  auto refresh = [this] { update(); };
  connect(&session_.document, &Document::changed, this, refresh);
  connect(&session_.light, &LightWork::changed, this, refresh);
  connect(&session_.playhead, &Playhead::frame_changed, this, refresh);
  connect(&session_.document, &Document::opened, this, [this] {
    shown_ = {};
    failed_frame_ = -1;
    update();
  });
  connect(&session_.opener, &Opener::first_look_changed, this, refresh);
  connect(&preview_, &Preview::ready, this, [this](int frame) {
    if (frame == failed_frame_) failed_frame_ = -1;
    if (frame == session_.playhead.frame()) update();
  });
  retry_.setSingleShot(true);
  retry_.setInterval(1000);
  connect(&retry_, &QTimer::timeout, this, [this] {
    if (session_.document.is_open() && failed_frame_ == session_.playhead.frame())
      (void)preview_.get(failed_frame_, full_ ? Kind::full : shown_kind());
  });
  connect(&preview_, &Preview::failed, this, [this](int frame, const QString& why) {
    if (frame != session_.playhead.frame()) return;
    failed_frame_ = frame;
    failure_ = why;
    retry_.start();
    update();
  });
}

void PictureView::set_tool(Tool tool) {
  tool_ = tool;
  setCursor(tool == Tool::steady_area ? Qt::CrossCursor : Qt::ArrowCursor);
  update();
}
void PictureView::set_before(bool on) { before_ = on, update(); }
void PictureView::set_seam(bool on) { seam_on_ = on, update(); }
void PictureView::set_neighbours(bool on) { neighbours_ = on, update(); }
void PictureView::set_full(bool on) { full_ = on, update(); }

bool PictureView::up_to_date() const {
  return session_.document.is_open() &&
         !preview_.get(session_.playhead.frame(), Kind::developed, false).isNull();
}

QRectF PictureView::visible_part() const {
  if (!session_.document.is_open() || tool_ != Tool::look) return {0, 0, 1, 1};
  const Rect c = film_rect(session_.document.shoot());
  return {c.x, c.y, c.w, c.h};
}

QSizeF PictureView::fit() const {
  const QRectF part = visible_part();
  const Size full = session_.document.shoot().sequence.size;
  const double w = part.width() * full.width, h = part.height() * full.height;
  const double scale = std::min((width() - 24) / w, (height() - 20) / h);
  // Whole pixels: then the picture, made in that size, is drawn as it is.
  return {std::round(w * scale), std::round(h * scale)};
}

QRectF PictureView::target() const {
  QSizeF size = fit();
  QPointF centre(width() / 2.0, height() / 2.0);
  if (full_) {
    const QRectF part = visible_part();
    const Size all = natural_size(session_.document.shoot().sequence.size,
                                  {part.x(), part.y(), part.width(), part.height()});
    size = QSizeF(all.width, all.height) / devicePixelRatioF();
    centre -= QPointF((pan_.x() - 0.5) * size.width(), (pan_.y() - 0.5) * size.height());
  }
  return {QPointF(std::floor(centre.x() - size.width() / 2),
                  std::floor(centre.y() - size.height() / 2)),
          size};
}

void PictureView::paint_picture(QPainter& p, const Picture& picture) const {
  if (!picture.isNull()) p.drawImage(to_widget(picture.part), picture.image);
}

QPointF PictureView::to_frame(QPointF p) const {
  const QRectF t = target(), part = visible_part();
  return {part.x() + (p.x() - t.x()) / t.width() * part.width(),
          part.y() + (p.y() - t.y()) / t.height() * part.height()};
}

QRectF PictureView::to_widget(const Rect& r) const {
  const QRectF t = target(), part = visible_part();
  return {t.x() + (r.x - part.x()) / part.width() * t.width(),
          t.y() + (r.y - part.y()) / part.height() * t.height(), r.w / part.width() * t.width(),
          r.h / part.height() * t.height()};
}

void PictureView::paint_area(QPainter& p, const Rect& r, const QString& label) {
  const QRectF box = to_widget(r);
  p.setPen(QPen(QColor(0, 0, 0, 150), 3));
  p.setBrush(Qt::NoBrush);
  p.drawRect(box);
  p.setPen(QPen(colour::moon, 1.3, Qt::DashLine));
  p.drawRect(box);
  p.setPen(Qt::NoPen);
  const QRectF plate(box.left(), box.top() - 19, p.fontMetrics().horizontalAdvance(label) + 12, 17);
  p.setBrush(QColor(27, 27, 28, 215));
  p.drawRect(plate);
  p.setPen(colour::text);
  p.drawText(plate, Qt::AlignCenter, label);
}

void PictureView::paint_plate(QPainter& p, QPointF at, const QString& text, bool attention) {
  const QRectF plate(at, QSizeF(p.fontMetrics().horizontalAdvance(text) + 16, 20));
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(27, 27, 28, 215));
  p.drawRect(plate);
  if (attention) p.fillRect(QRectF(plate.topLeft(), QSizeF(2, plate.height())), colour::coral);
  p.setPen(colour::text);
  p.drawText(plate, Qt::AlignCenter, text);
}

// Three pictures of one height: what changed in one frame is seen at once. All as they were shot
// but for the light, so that a frame set aside shows itself.
void PictureView::paint_neighbours(QPainter& p) {
  const Shoot& s = session_.document.shoot();
  const int frame = session_.playhead.frame();
  auto kept = [&](int from, int step) {
    int f = from + step;
    while (f >= 0 && f < s.frame_count() && !is_kept(s, f)) f += step;
    return f >= 0 && f < s.frame_count() ? f : -1;
  };
  const int frames[3] = {kept(frame, -1), frame, kept(frame, 1)};
  const QRectF part = visible_part();
  const double w = part.width() * s.sequence.size.width, h = part.height() * s.sequence.size.height;
  const double scale = std::min((width() - 32.0) / 3 / w, (height() - 60.0) / h);
  const QSizeF size(w * scale, h * scale);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  for (int k = 0; k < 3; ++k) {
    const QPointF at(width() / 2.0 + (k - 1) * (size.width() + 6) - size.width() / 2,
                     (height() - size.height()) / 2 + 10);
    const QRectF box(at, size);
    p.fillRect(box, colour::panel);
    const QString name =
        frames[k] < 0 ? QString("no frame")
        : k == 1      ? QString("frame %1").arg(frame + 1)
                      : QString("%1 · frame %2").arg(k ? "after" : "before").arg(frames[k] + 1);
    p.setPen(k == 1 ? colour::text : colour::quiet);
    p.drawText(QRectF(at - QPointF(0, 22), QSizeF(size.width(), 18)), Qt::AlignCenter, name);
    if (frames[k] < 0) continue;
    const FrameInfo& info = s.sequence.frames[frames[k]];
    const QImage image = info.usable() ? preview_.get(frames[k], Kind::as_shot).image : QImage();
    if (!image.isNull())
      p.drawImage(box, image,
                  QRectF(part.x() * image.width(), part.y() * image.height(),
                         part.width() * image.width(), part.height() * image.height()));
    else if (!info.usable())
      p.drawText(box, Qt::AlignCenter | Qt::TextWordWrap, QString::fromStdString(info.problem));
    if (k == 1) {
      p.setPen(QPen(colour::moon, 1));
      p.setBrush(Qt::NoBrush);
      p.drawRect(box.adjusted(-1, -1, 1, 1));
    }
  }
  if (const Suspect* suspect = session_.light.suspect_at(frame))
    paint_plate(
        p,
        QPointF((width() -
                 p.fontMetrics().horizontalAdvance(QString::fromStdString(suspect->reason)) - 16) /
                    2.0,
                (height() + size.height()) / 2 + 18),
        QString::fromStdString(suspect->reason), true);
}

void PictureView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), colour::ground);
  if (const QImage first = session_.opener.first_look(); !first.isNull()) {
    const QSizeF size =
        QSizeF(first.size()).scaled(width() - 24, height() - 20, Qt::KeepAspectRatio);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(QRectF(QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size),
                first);
    return;
  }
  if (!session_.document.is_open()) {
    p.setPen(colour::quiet);
    QFont f = font();
    f.setPixelSize(15);
    p.setFont(f);
    p.drawText(
        rect(), Qt::AlignCenter | Qt::TextWordWrap,
        "Drop a folder of frames here, or open one (Ctrl+O).\nThe originals are only ever read.");
    return;
  }
  const int frame = session_.playhead.frame();
  const auto& facts = session_.document.shoot().sequence.frames[frame];
  const auto film = film_frame_at(session_.document.shoot(), frame);
  const bool made = film && film->made();
  if (neighbours_) return paint_neighbours(p);
  const bool failed = (!facts.usable() && (!made || before_)) || failed_frame_ == frame;
  const QRectF t = target(), part = visible_part();
  preview_.set_view({part.x(), part.y(), part.width(), part.height()},
                    (fit() * devicePixelRatioF()).toSize());
  Picture picture = failed ? Picture() : preview_.get(frame, shown_kind());
  if (full_ && !before_ && !failed) {
    if (const Picture full = preview_.get(frame, Kind::full); !full.isNull()) picture = full;
  }
  if (!picture.isNull()) shown_ = picture;
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  if (failed) {
    p.setPen(colour::coral);
    p.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
               failed_frame_ == frame
                   ? failure_
                   : shown_path(facts.file) + " " + QString::fromStdString(facts.problem) +
                         ".\nIt is left out; everything else goes on.");
    return;
  }
  if (shown_.isNull()) {
    p.setPen(colour::faint);
    p.drawText(rect(), Qt::AlignCenter, "The frame is being read.");
    return;
  }
  // A picture of the whole frame reaches beyond the part that is seen.
  p.save();
  p.setClipRect(t);
  paint_picture(p, shown_);
  p.restore();
  if (seam_on_ && !before_) {
    const Picture before = preview_.get(frame, Kind::as_shot);
    const double x = std::round(t.left() + seam_ * t.width());
    if (!before.isNull()) {
      p.save();
      p.setClipRect(QRectF(t.left(), t.top(), x - t.left(), t.height()));
      paint_picture(p, before);
      p.restore();
    }
    p.setPen(QPen(colour::moon, 1));
    p.drawLine(QPointF(x, t.top()), QPointF(x, t.bottom()));
    p.setBrush(colour::ground);
    p.setRenderHint(QPainter::Antialiasing);
    p.drawEllipse(QPointF(x, t.center().y()), 7, 7);
    p.setPen(colour::text);
    const QRectF left(x - 78, t.top() + 8, 70, 18), right(x + 8, t.top() + 8, 76, 18);
    p.fillRect(left, QColor(27, 27, 28, 190));
    p.fillRect(right, QColor(27, 27, 28, 190));
    p.drawText(left, Qt::AlignCenter, "as shot");
    p.drawText(right, Qt::AlignCenter, "developed");
  }
  const bool aside = is_set_aside(session_.document.decisions(), frame);
  const Suspect* suspect = session_.light.suspect_at(frame);
  if (aside)
    paint_plate(p, t.topLeft() + QPointF(8, 8),
                made && !before_
                    ? QString("set aside · made from frames %1 and %2 · B shows the original")
                          .arg(film->before + 1)
                          .arg(film->after + 1)
                : made ? QString("set aside · as shot")
                       : QString("set aside · the film closes up here"),
                true);
  else if (suspect && session_.checking.is_open(*suspect))
    paint_plate(p, t.topLeft() + QPointF(8, 8), QString::fromStdString(suspect->reason), true);
  if (tool_ == Tool::crop) {
    const QRectF box = to_widget(session_.document.decisions().framing.crop);
    QPainterPath shade;
    shade.addRect(t);
    QPainterPath hole;
    hole.addRect(box);
    p.fillPath(shade.subtracted(hole), QColor(20, 20, 20, 170));
    p.setPen(QPen(colour::moon, 1.4));
    p.drawRect(box);
    p.setPen(QPen(QColor(240, 220, 154, 70), 1));
    for (int i = 1; i < 3; ++i) {
      p.drawLine(QPointF(box.left() + box.width() * i / 3, box.top()),
                 QPointF(box.left() + box.width() * i / 3, box.bottom()));
      p.drawLine(QPointF(box.left(), box.top() + box.height() * i / 3),
                 QPointF(box.right(), box.top() + box.height() * i / 3));
    }
  }
  if (tool_ == Tool::steady_area) {
    if (drag_ == Drag::area)
      paint_area(p, drag_rect_, "steady area");
    else if (const auto& area = session_.document.decisions().deflicker.steady_area)
      paint_area(p, *area, "steady area");
  }
}

void PictureView::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open() || e->button() != Qt::LeftButton) return;
  const QPointF at = e->position();
  drag_from_ = at;
  ++drag_serial_;
  if (seam_on_ && std::fabs(at.x() - (target().left() + seam_ * target().width())) < 12)
    drag_ = Drag::seam;
  else if (tool_ == Tool::crop)
    drag_ = Drag::crop, drag_rect_ = session_.document.decisions().framing.crop;
  else if (tool_ == Tool::steady_area)
    drag_ = Drag::area, drag_rect_ = {};
  else if (full_)
    drag_ = Drag::pan;
}

void PictureView::mouseMoveEvent(QMouseEvent* e) {
  if (drag_ == Drag::none) return;
  const QPointF at = e->position();
  const QPointF a = to_frame(drag_from_), b = to_frame(at);
  if (drag_ == Drag::seam) {
    seam_ = std::clamp((at.x() - target().left()) / target().width(), 0.0, 1.0);
  } else if (drag_ == Drag::crop) {
    const Rect moved =
        moved_inside(drag_rect_, drag_rect_.x + b.x() - a.x(), drag_rect_.y + b.y() - a.y());
    session_.document.edit(
        "Move crop", [&](Shoot& s) { s.decisions.framing.crop = moved; },
        QString("crop %1").arg(drag_serial_));
  } else if (drag_ == Drag::area) {
    const double x0 = std::clamp(std::min(a.x(), b.x()), 0.0, 1.0),
                 y0 = std::clamp(std::min(a.y(), b.y()), 0.0, 1.0);
    const double x1 = std::clamp(std::max(a.x(), b.x()), 0.0, 1.0),
                 y1 = std::clamp(std::max(a.y(), b.y()), 0.0, 1.0);
    drag_rect_ = {x0, y0, std::max(x1 - x0, 1e-4), std::max(y1 - y0, 1e-4)};
  } else if (drag_ == Drag::pan) {
    const QRectF t = target();
    pan_ -= QPointF((at.x() - drag_from_.x()) / t.width(), (at.y() - drag_from_.y()) / t.height());
    pan_ = {std::clamp(pan_.x(), 0.0, 1.0), std::clamp(pan_.y(), 0.0, 1.0)};
    drag_from_ = at;
  }
  update();
}

void PictureView::mouseReleaseEvent(QMouseEvent*) {
  if (drag_ == Drag::area && drag_rect_.w > 0.004 && drag_rect_.h > 0.004) {
    session_.document.edit("Draw steady area",
                           [&](Shoot& s) { s.decisions.deflicker.steady_area = drag_rect_; });
    emit area_drawn();
  }
  drag_ = Drag::none;
  update();
}

}  // namespace tsukimi::app
