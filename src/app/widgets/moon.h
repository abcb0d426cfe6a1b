// SPDX-License-Identifier: GPL-3.0-or-later
// Key frames are moons, and their easing is the phase: smooth is full, straight half, eased a
// crescent, hold new.
#pragma once

#include <QIcon>
#include <QPainter>

#include "adjust/interpolate.h"

namespace tsukimi::app {

// rim: round the disc, so that it stands out of what is below it.
void paint_moon(QPainter& p, QPointF centre, double radius, Easing easing, const QColor& light,
                const QColor& rim);

constexpr Easing kEasings[] = {Easing::smooth, Easing::straight, Easing::eased, Easing::hold};
struct EasingWords {
  QString name, tip;
};
EasingWords words_of(Easing easing);
QIcon icon_of(Easing easing);

}  // namespace tsukimi::app
