// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/keys_lane.h"

#include <QMenu>
#include <cmath>

#include "app/convert/value_text.h"
#include "app/widgets/moon.h"
#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {

constexpr double kMoon = 5.5;     // px
constexpr double kHeight = 27;    // of the picture
constexpr double kLeastDrag = 4;  // px

// The picture stands above its moon, moved to lie within the lane.
QRectF picture_rect(const QRectF& r, double x, const Shoot& shoot) {
  const Size full = shoot.sequence.size;
  const double w =
      full.height > 0 ? std::clamp(kHeight * full.width / full.height, 16.0, 60.0) : 44;
  const double left = std::clamp(x - w / 2, r.left() + 1, r.right() - w - 1);
  return {std::round(left), r.top() + 2, std::round(w), kHeight};
}

QPointF moon_place(const QRectF& r, double x) { return {x, r.bottom() - kMoon - 1}; }

}  // namespace

void KeysLane::paint_key(QPainter& p, const QRectF& r, const TimeScale& scale, int frame,
                         bool here) const {
  const double x = scale.x_of(frame);
  if (x < r.left() - 1 || x > r.right() + 1) return;
  const Shoot& shoot = session_.document.shoot();
  const QRectF box = picture_rect(r, x, shoot);
  const QImage image = preview_.latest(frame, Rendering::thumbnail).image;
  p.setPen(Qt::NoPen);
  p.setBrush(colour::ground);
  p.drawRect(box.adjusted(-1, -1, 1, 1));
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  if (!image.isNull()) {
    // In the shape of the lane's pictures, whatever the frame's.
    const QSizeF seen = box.size().scaled(QSizeF(image.size()), Qt::KeepAspectRatio);
    p.drawImage(
        box, image,
        QRectF(QPointF((image.width() - seen.width()) / 2, (image.height() - seen.height()) / 2),
               seen));
  }
  if (here) {
    p.setPen(QPen(colour::moon, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box.adjusted(-0.5, -0.5, 0.5, 0.5));
  }
  paint_moon(p, moon_place(r, x), here ? kMoon + 0.8 : kMoon, session_.keys.easing(frame),
             colour::moon, here ? colour::text : colour::ground);
}

void KeysLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const auto keys = session_.keys.frames();
  if (keys.empty() && session_.keys.proposed().empty()) {
    p.setPen(colour::quiet);
    p.drawText(r, Qt::AlignCenter,
               tr("No key frames yet: moving a ruler makes one, K too, or let some be proposed."));
  }
  for (int key : keys) paint_key(p, r, scale, key, false);
}

void KeysLane::paint_here(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  p.setClipRect(r.adjusted(0, -1, 6, 2));
  for (const ProposedKey& key : session_.keys.proposed()) {
    const double x = scale.x_of(key.frame);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour::moon, 1.2, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawLine(QPointF(x, r.top() + 2), QPointF(x, r.bottom() - 2 * kMoon - 3));
    p.drawEllipse(moon_place(r, x), kMoon, kMoon);
  }
  const int frame = session_.playhead.frame();
  if (session_.keys.has(frame)) paint_key(p, r, scale, frame, true);
}

int KeysLane::key_at(QPointF at, const QRectF& r, const TimeScale& scale) const {
  int found = -1;
  double least = 1e9;
  for (int key : session_.keys.frames()) {
    const double x = scale.x_of(key), away = std::fabs(at.x() - x);
    const bool moon = away <= kMoon + 2 && at.y() > r.bottom() - 2 * kMoon - 4;
    const bool picture = picture_rect(r, x, session_.document.shoot()).contains(at);
    const double far = moon ? away : 100 + away;
    if ((moon || picture) && far < least) least = far, found = key;
  }
  return found;
}

bool KeysLane::press(QPointF at, const QRectF& r, const TimeScale& scale) {
  dragged_ = key_at(at, r, scale);
  if (dragged_ < 0) return false;
  from_ = at.x();
  ++serial_;
  session_.playhead.set_frame(dragged_);
  return true;
}

void KeysLane::drag(QPointF at, const TimeScale& scale) {
  if (std::fabs(at.x() - from_) < kLeastDrag) return;
  from_ = -1e9;  // from now on every pixel counts
  const int last = session_.document.shoot().frame_count() - 1,
            to = std::clamp(static_cast<int>(std::lround(scale.frame_at(at.x()))), 0, last);
  if (session_.keys.move(dragged_, to, tr("key frame, drag %1").arg(serial_)))
    session_.playhead.set_frame(dragged_ = to);
}

bool KeysLane::menu(QPointF at, QPoint on_screen, const QRectF& r, const TimeScale& scale) {
  const int key = key_at(at, r, scale);
  if (key < 0) return false;
  session_.playhead.set_frame(key);
  auto* menu = new QMenu;
  menu->setObjectName("key_menu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  for (Easing easing : kEasings) {
    auto* action = menu->addAction(
        icon_of(easing), QString("%1: %2").arg(words_of(easing).name, words_of(easing).tip));
    action->setCheckable(true);
    action->setChecked(session_.keys.easing(key) == easing);
    QObject::connect(action, &QAction::triggered, &session_.keys,
                     [this, easing] { session_.keys.set_easing(easing); });
  }
  menu->addSeparator();
  QObject::connect(menu->addAction(tr("Copy look")), &QAction::triggered, &session_.look,
                   &LookWork::copy);
  auto* paste = menu->addAction(tr("Paste look"));
  paste->setEnabled(session_.look.has_copied());
  QObject::connect(paste, &QAction::triggered, &session_.look, &LookWork::paste);
  menu->addSeparator();
  QObject::connect(menu->addAction(tr("Remove key frame")), &QAction::triggered, &session_.look,
                   [this, key] {
                     if (session_.keys.has(key)) session_.keys.toggle();
                   });
  menu->popup(on_screen);
  return true;
}

QString KeysLane::tip(QPointF at, const QRectF& r, const TimeScale& scale) const {
  for (const ProposedKey& key : session_.keys.proposed())
    if (std::fabs(scale.x_of(key.frame) - at.x()) <= kMoon + 2)
      return tr("Proposed: frame %1, %2")
          .arg(key.frame + 1)
          .arg(words_of(tsukimi::words_of(key.why)));
  const int key = key_at(at, r, scale);
  if (key < 0) return {};
  const auto keys = session_.keys.frames();
  return tr("Key frame %1 of %2 · frame %3 · %4\nDrag: to another frame. Right click: easing.")
      .arg(std::ranges::find(keys, key) - keys.begin() + 1)
      .arg(keys.size())
      .arg(key + 1)
      .arg(QString(words_of(session_.keys.easing(key)).name).toLower());
}

Qt::CursorShape KeysLane::cursor(QPointF at, const QRectF& r, const TimeScale& scale) const {
  return key_at(at, r, scale) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor;
}

}  // namespace tsukimi::app
