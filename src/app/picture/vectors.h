// SPDX-License-Identifier: GPL-3.0-or-later
// Points of the screen as vectors.
#pragma once

#include <QPointF>
#include <cmath>

namespace tsukimi::app {

inline double dot(QPointF a, QPointF b) { return QPointF::dotProduct(a, b); }
inline double length(QPointF a) { return std::hypot(a.x(), a.y()); }

}  // namespace tsukimi::app
