// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/ring_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <numbers>

#include "app/widgets/style.h"
#include "develop/hue_ring.h"
#include "develop/oklab.h"

namespace tsukimi::app {
namespace {

constexpr double kInner = 53, kBetween = 66, kOuter = 79;
constexpr double kNone = 9, kMost = 40;  // how far from the middle no and all of a split tone lie

struct Split {
  Param hue, strength;
  double lightness;  // of the handle
};
constexpr Split kSplits[2] = {{Param::shadow_hue, Param::shadow_strength, 0.42},
                              {Param::highlight_hue, Param::highlight_strength, 0.86}};

QColor shown(double hue, double chroma, double lightness) {
  const double angle = hue * std::numbers::pi / 180;
  float l = static_cast<float>(lightness), a = static_cast<float>(chroma * std::cos(angle)),
        b = static_cast<float>(chroma * std::sin(angle));
  from_oklab({&l, &a, &b, 1});
  const Vec3 rgb = rec2020_to_srgb() * Vec3{l, a, b};
  auto byte = [](double v) {
    return static_cast<int>(
        std::lround(255 * srgb_encode(static_cast<float>(std::clamp(v, 0.0, 1.0)))));
  };
  return {byte(rgb[0]), byte(rgb[1]), byte(rgb[2])};
}

}  // namespace

RingView::RingView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("ring");
  setAccessibleName(tr("Hue ring and split tone"));
  setFocusPolicy(Qt::StrongFocus);
  setMinimumHeight(168);
  setToolTip(
      tr("Pick a point, move it round to the hue that is meant; the rulers below change it.\n"
         "The two half discs inside lean the shadows and the highlights to a hue."));
}

QPointF RingView::on_circle(double hue, double radius) const {
  const double angle = hue * std::numbers::pi / 180;
  return middle() + QPointF(radius * std::cos(angle), -radius * std::sin(angle));
}

QPointF RingView::place_of(int point) const {
  if (point >= kRingPoints) {
    const Split& s = kSplits[point - kShadows];
    const auto value = [&](Param p) {
      return session_.document.course().at(p, session_.playhead.frame());
    };
    return on_circle(value(s.hue), kNone + (kMost - kNone) * value(s.strength) / 100);
  }
  return on_circle(
      session_.document.course().at(ring_param(point, RingNumber::at), session_.playhead.frame()),
      kBetween);
}

void RingView::pick(int point) {
  point_ = point;
  update();
  emit picked();
}

void RingView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  if (hasFocus()) {
    p.setPen(QPen(colour::moon, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
  }
  if (!session_.document.is_open()) return;
  const Look look = session_.document.course().at(session_.playhead.frame());
  auto band = [&](double radius, double width, const QColor& c, double hue) {
    p.setPen(QPen(c, width, Qt::SolidLine, Qt::FlatCap));
    const QRectF box(middle().x() - radius, middle().y() - radius, 2 * radius, 2 * radius);
    p.drawArc(box, static_cast<int>((hue - 1.5) * 16), static_cast<int>(8 * 16));
  };
  for (int i = 0; i < 120; ++i) {
    const double hue = 3.0 * i;
    const auto at = HueTable::ring_at(look, hue);
    const double gain = (1 + at.saturation / 100) * (1 + look[Param::saturation] / 100);
    band(kInner, 11, shown(hue, 0.13, 0.68), hue);
    band(kOuter, 10,
         shown(hue + at.turn, std::clamp(0.13 * gain, 0.0, 0.26),
               0.68 * (1 + 0.35 * at.lightness / 100)),
         hue);
  }
  for (int i = 0; i < kRingPoints; ++i) {
    const bool here = i == point_;
    p.setPen(QPen(here ? colour::text : colour::quiet, here ? 2 : 1.2));
    p.setBrush(shown(look[ring_param(i, RingNumber::at)], 0.13, 0.68));
    p.drawEllipse(place_of(i), here ? 7 : 5, here ? 7 : 5);
  }
  p.setPen(QPen(colour::line, 1));
  p.setBrush(Qt::NoBrush);
  p.drawEllipse(middle(), kMost, kMost);
  for (int handle : {kShadows, kHighlights}) paint_split(p, look, handle);
}

// Shadows are the lower half of a disc, highlights the upper one.
void RingView::paint_split(QPainter& p, const Look& look, int handle) const {
  const Split& s = kSplits[handle - kShadows];
  const bool here = handle == point_;
  const QPointF at = place_of(handle);
  p.setPen(QPen(colour::line, 1));
  p.drawLine(middle(), at);
  p.setPen(QPen(here ? colour::text : colour::quiet, here ? 2 : 1.2));
  p.setBrush(shown(look[s.hue], 0.02 + 0.1 * look[s.strength] / 100, s.lightness));
  const double r = here ? 9 : 8;
  p.drawChord(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r), handle == kShadows ? -180 * 16 : 0,
              180 * 16);
}

void RingView::keyPressEvent(QKeyEvent* e) {
  const int by = e->key() == Qt::Key_Up ? 1 : e->key() == Qt::Key_Down ? -1 : 0;
  if (by == 0) return QWidget::keyPressEvent(e);
  pick((point_ + by + kHighlights + 1) % (kHighlights + 1));
}

void RingView::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open()) return;
  int nearest = -1;
  double least = 12;
  for (int i = 0; i <= kHighlights; ++i) {
    const QPointF d = place_of(i) - e->position();
    if (std::hypot(d.x(), d.y()) < least) least = std::hypot(d.x(), d.y()), nearest = i;
  }
  if (nearest < 0) return;
  pick(nearest);
  dragging_ = true;
  ++serial_;
}

void RingView::mouseMoveEvent(QMouseEvent* e) {
  if (!dragging_) return;
  const QPointF d = e->position() - middle();
  double hue = std::atan2(-d.y(), d.x()) * 180 / std::numbers::pi;
  if (hue < 0) hue += 360;
  if (point_ < kRingPoints)
    return emit dragged(ring_param(point_, RingNumber::at), std::round(hue), serial_);
  const Split& s = kSplits[point_ - kShadows];
  const double strength = (std::hypot(d.x(), d.y()) - kNone) / (kMost - kNone) * 100;
  emit dragged(s.strength, std::round(std::clamp(strength, 0.0, 100.0)), serial_);
  emit dragged(s.hue, std::round(hue), serial_);
}

}  // namespace tsukimi::app
