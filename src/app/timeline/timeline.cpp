// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/timeline.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "app/convert/path_text.h"
#include "app/timeline/camera_lane.h"
#include "app/timeline/keys_lane.h"
#include "app/timeline/light_lane.h"
#include "app/timeline/marks_lane.h"
#include "app/timeline/motion_lane.h"
#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {
constexpr int kMargin = 8, kBetween = 4;
constexpr int kKeys = 2;  // of the lanes
const QColor kGround(0x1f, 0x1f, 0x20);
int gutter() { return text_px(62); }
}  // namespace

Timeline::Timeline(Session& session, Preview& preview, QWidget* parent)
    : QWidget(parent), session_(session) {
  setObjectName("timeline");
  setAccessibleName(tr("Timeline"));
  setMouseTracking(true);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  lanes_.push_back(std::make_unique<LightLane>(session_));
  spare_ = std::make_unique<MotionLane>(session_);
  lanes_.push_back(std::make_unique<CameraLane>(session_));
  lanes_.push_back(std::make_unique<KeysLane>(session_, preview));
  lanes_.push_back(std::make_unique<MarksLane>(session_));
  tones_button = new QToolButton(this);
  tones_button->setObjectName("tones");
  tones_button->setText(tr("Tones"));
  tones_button->setCheckable(true);
  tones_button->setStyleSheet("padding: 2px 0px");
  tones_button->setFocusPolicy(Qt::TabFocus);
  tones_button->setToolTip(
      tr("Tones over time (G): behind the traces, for every frame how its tones are spread, from "
         "black "
         "below to white above; coral at the edges is what is clipped or black"));
  tones_button->setGeometry(2, kMargin + text_px(46), gutter() - text_px(20), text_px(22));
  connect(tones_button, &QToolButton::toggled, &session_.tones, &TonesOverTime::set_on);
  auto refresh = [this] { update(); };
  auto redraw = [this] {
    drawn_ = {};
    overview_.redraw();
    update();
  };
  connect(&session_.document, &Document::changed, this, redraw);
  connect(&session_.light, &LightWork::changed, this, redraw);
  connect(&session_.playhead, &Playhead::frame_changed, this, refresh);
  connect(&session_.document, &Document::opened, this, [this] {
    drawn_ = {};
    overview_.redraw();
    show_all();
  });
  connect(&session_.document, &Document::frames_added, this, [this] {
    overview_.redraw();
    first_ <= 0 ? show_all() : update();  // what was whole stays whole
  });
  connect(&session_.playhead, &Playhead::selection_changed, this, refresh);
  connect(&session_.keys, &KeyWork::proposal_changed, this, redraw);
  connect(&session_.keys, &KeyWork::target_changed, this, [this, redraw] {
    redraw();
    pictures_.start();
  });
  constexpr int kMoment = 200;  // ms: a drag is not slowed by small pictures of other frames
  pictures_.setSingleShot(true);
  pictures_.setInterval(kMoment);
  session_.on_change(this, [this] { pictures_.start(); });
  connect(&pictures_, &QTimer::timeout, this, [this, &preview] {
    if (!session_.document.is_open()) return;
    for (int key : session_.keys.frames()) (void)preview.get(key, Rendering::thumbnail);
  });
  connect(&session_.tones, &TonesOverTime::changed, this, redraw);
  connect(&session_.framing, &FramingWork::changed, this,
          [this] { show_movement(session_.framing.working()); });
  // The small pictures of key frames.
  connect(&preview, &Preview::ready, this, [this, redraw](int frame) {
    if (session_.keys.has(frame)) redraw();
  });
}

// While the framing is worked on, what the camera did stands where the light does else.
void Timeline::show_movement(bool on) {
  if (std::exchange(shows_movement_, on) == on) return;
  std::swap(lanes_.front(), spare_);
  tones_button->setVisible(!on);
  drawn_ = {};
  update();
}

Lane* Timeline::lane_at(QPointF at) {
  for (int i = 0; i < count(); ++i)
    if (lane(i).contains(at)) return lanes_[i].get();
  return nullptr;
}
QRectF Timeline::rect_of(const Lane* wanted) const {
  for (int i = 0; i < count(); ++i)
    if (lanes_[i].get() == wanted) return lane(i);
  return {};
}

QRectF Timeline::strip() const {
  const QRectF lanes = all_lanes();
  return {lanes.left(), lanes.bottom() + kBetween, lanes.width(),
          static_cast<double>(Overview::kHeight)};
}

void Timeline::show_frames(double first, double last) {
  first_ = first;
  last_ = last;
  update();
}
void Timeline::show_all() {
  show_frames(0, std::max(1, session_.document.shoot().frame_count() - 1));
}

std::optional<std::pair<int, int>> Timeline::selection() const {
  const auto& s = session_.playhead.selection();
  if (s.empty()) return {};
  return std::pair{s.front(), s.back()};
}

QRectF Timeline::lane(int i) const {
  int top = kMargin;
  for (int k = 0; k < i; ++k) top += text_px(lanes_[k]->height) + kBetween;
  return QRectF(gutter(), top, width() - gutter() - 14, text_px(lanes_[i]->height));
}
QRectF Timeline::all_lanes() const { return lane(0).united(lane(count() - 1)); }
QSize Timeline::sizeHint() const { return {600, static_cast<int>(strip().bottom()) + kMargin}; }
TimeScale Timeline::scale() const {
  return {lane(0).left() + kInset, lane(0).width() - 2 * kInset, first_, last_};
}
double Timeline::x_of(double frame) const { return scale().x_of(frame); }
int Timeline::frame_at(double x) const {
  return std::clamp(static_cast<int>(std::lround(scale().frame_at(x))), 0,
                    std::max(0, session_.document.shoot().frame_count() - 1));
}

// The lanes, once for all playheads.
const QPixmap& Timeline::drawn() {
  const Drawn wanted{scale(), size() * devicePixelRatioF(), {}};
  if (!drawn_.lanes.isNull() && drawn_.scale == wanted.scale && drawn_.pixels == wanted.pixels)
    return drawn_.lanes;
  drawn_ = wanted;
  drawn_.lanes = QPixmap(wanted.pixels);
  drawn_.lanes.setDevicePixelRatio(devicePixelRatioF());
  drawn_.lanes.fill(Qt::transparent);
  QPainter p(&drawn_.lanes);
  p.setRenderHint(QPainter::Antialiasing);
  for (int i = count() - 1; i >= 0; --i) {
    p.save();
    p.setFont(font());
    lanes_[i]->paint(p, lane(i), drawn_.scale);
    p.restore();
  }
  return drawn_.lanes;
}

void Timeline::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), colour::panel);
  for (int i = 0; i < count(); ++i) {
    const QRectF r = lane(i);
    p.fillRect(r, kGround);
    p.setPen(colour::quiet);
    p.drawText(QRectF(8, r.top(), gutter() - 12, i == 0 ? 20 : r.height()),
               Qt::AlignLeft | (i == 0 ? Qt::AlignTop : Qt::AlignVCenter), lanes_[i]->name);
  }
  if (!session_.document.is_open()) return;
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF all = all_lanes();
  for (int f : session_.playhead.selection())
    p.fillRect(QRectF(x_of(f - 0.5), all.top(), x_of(f + 0.5) - x_of(f - 0.5), all.height())
                   .intersected(all),
               QColor(240, 220, 154, 26));
  p.drawPixmap(0, 0, drawn());
  for (int i = 0; i < count(); ++i) {
    p.save();
    lanes_[i]->paint_here(p, lane(i), scale());
    p.restore();
  }
  // What lies outside the film is veiled.
  const auto [in, out] = film_range(session_.document.shoot());
  const int last = session_.document.shoot().frame_count() - 1;
  auto veil = [&](double a, double b) {
    if (b > a)
      p.fillRect(QRectF(a, all.top(), b - a, all.height()).intersected(all),
                 QBrush(QColor(0, 0, 0, 140)));
  };
  if (in > 0) veil(x_of(0), x_of(in - 0.5));
  if (out < last) veil(x_of(out + 0.5), x_of(last));
  overview_.paint(p, strip(), scale());
  const double x = std::round(x_of(session_.playhead.frame())) + 0.5;
  if (x >= all.left() - 1 && x <= all.right() + 1) {
    p.setPen(QPen(colour::moon, 1));
    p.drawLine(QPointF(x, all.top() - 3), QPointF(x, all.bottom()));
    p.setPen(Qt::NoPen);
    p.setBrush(colour::moon);
    p.drawEllipse(QPointF(x, all.top() - 3), 3.5, 3.5);
  }
}

void Timeline::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open() || e->button() != Qt::LeftButton) return;
  if (!shows_movement_ && !session_.light.known() && !session_.light.measuring() &&
      lane(0).contains(e->position()))
    return session_.light.measure_again();
  moving_view_ = e->position().y() >= strip().top();
  if (moving_view_) {
    overview_.press(e->position().x(), strip(), scale());
    const auto [first, last] = overview_.drag(e->position().x(), strip());
    return show_frames(first, last);
  }
  if (Lane* own = lane_at(e->position()); own && own->press(e->position(), rect_of(own), scale())) {
    pressed_ = own;
    return;
  }
  press_x_ = e->position().x();
  selecting_ = false;
  session_.playhead.select({});
  session_.playhead.set_frame(frame_at(press_x_));
  update();
}

void Timeline::mouseMoveEvent(QMouseEvent* e) {
  if (!session_.document.is_open()) return;
  const double x = e->position().x();
  if (moving_view_) {
    const auto [first, last] = overview_.drag(x, strip());
    return show_frames(first, last);
  }
  if (pressed_) return pressed_->drag(e->position(), scale());
  const Lane* below = lane_at(e->position());
  setCursor(e->position().y() >= strip().top() ? overview_.cursor(x, strip(), scale())
            : below ? below->cursor(e->position(), rect_of(below), scale())
                    : Qt::ArrowCursor);
  if (press_x_ >= 0) {
    // From the lanes a drag selects; along the top edge it moves the playhead.
    if (!selecting_ && std::fabs(x - press_x_) > 5 && e->position().y() > kMargin + 4)
      selecting_ = true;
    if (selecting_) {
      const int a = frame_at(press_x_), b = frame_at(x);
      std::vector<int> frames;
      for (int f = std::min(a, b); f <= std::max(a, b); ++f) frames.push_back(f);
      session_.playhead.select(std::move(frames));
    } else {
      session_.playhead.set_frame(frame_at(x));
    }
    update();
  }
}

void Timeline::mouseReleaseEvent(QMouseEvent*) {
  press_x_ = -1;
  pressed_ = nullptr;
  selecting_ = moving_view_ = false;
}

void Timeline::contextMenuEvent(QContextMenuEvent* e) {
  if (!session_.document.is_open()) return;
  // The menu key opens that of the key frame that is looked at.
  QPointF at = e->pos();
  QPoint on_screen = e->globalPos();
  if (e->reason() == QContextMenuEvent::Keyboard) {
    at = {x_of(session_.playhead.frame()), key_frames().center().y()};
    on_screen = mapToGlobal(at.toPoint());
  }
  if (Lane* own = lane_at(at)) (void)own->menu(at, on_screen, rect_of(own), scale());
}

QRectF Timeline::key_frames() const { return lane(kKeys); }

void Timeline::mouseDoubleClickEvent(QMouseEvent* e) {
  if (session_.document.is_open() && e->button() == Qt::LeftButton) show_all();
}

void Timeline::wheelEvent(QWheelEvent* e) {
  if (!session_.document.is_open()) return;
  const double n = std::max(1, session_.document.shoot().frame_count() - 1);
  const double at = std::clamp(scale().frame_at(e->position().x()), first_, last_);
  if (e->modifiers() & Qt::ShiftModifier ||
      std::abs(e->angleDelta().x()) > std::abs(e->angleDelta().y())) {
    const int delta = e->angleDelta().x() ? e->angleDelta().x() : e->angleDelta().y();
    const double by = std::clamp(-delta / 1200.0 * (last_ - first_), -first_, n - last_);
    first_ += by, last_ += by;
  } else {
    const double k = e->angleDelta().y() > 0 ? 0.8 : 1.25;
    const double width = std::clamp((last_ - first_) * k, std::min(8.0, n), n);
    first_ = std::clamp(at - (at - first_) * width / (last_ - first_), 0.0, n - width);
    last_ = first_ + width;
  }
  update();
}

bool Timeline::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip && session_.document.is_open()) {
    auto* help = static_cast<QHelpEvent*>(e);
    if (const Lane* below = lane_at(help->pos()))
      if (const QString tip = below->tip(help->pos(), rect_of(below), scale()); !tip.isEmpty()) {
        QToolTip::showText(help->globalPos(), tip, this);
        return true;
      }
    if (help->pos().x() >= gutter()) {
      const int i = frame_at(help->pos().x());
      const auto& f = session_.document.shoot().sequence.frames[i];
      QString text = tr("Frame %1 · %2 · %3\n%4, f/%5, ISO %6")
                         .arg(i + 1)
                         .arg(shown_path(f.file), QString::fromStdString(format_clock(f.time)),
                              QString::fromStdString(format_shutter(f.shutter)))
                         .arg(f.aperture)
                         .arg(f.iso);
      const auto measured = static_cast<int>(session_.light.plan().as_shot.size());
      if (i < measured && !std::isnan(session_.light.plan().as_shot[i]))
        text += tr("\nas shot %1, levelling %2, deflicker %3 stops")
                    .arg(session_.light.plan().as_shot[i], 0, 'f', 2)
                    .arg(session_.light.plan().level_correction[i], 0, 'f', 2)
                    .arg(session_.light.plan().flicker_correction[i], 0, 'f', 3);
      if (!f.usable()) text += "\n" + QString::fromStdString(f.problem);
      QToolTip::showText(help->globalPos(), text, this);
      return true;
    }
  }
  return QWidget::event(e);
}

}  // namespace tsukimi::app
