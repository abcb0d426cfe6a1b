// SPDX-License-Identifier: GPL-3.0-or-later
// The values of the picture at a place: as shown, and as the sensor saw them.
#pragma once

#include <QColor>
#include <array>
#include <optional>

#include "app/picture/canvas.h"
#include "app/picture/preview.h"
#include "proxy/proxy.h"

namespace tsukimi::app {

struct Pointed {
  QColor shown;
  std::optional<std::array<double, 3>> sensor;  // stops below the sensor's end; R, G, B
};

// at: in the widget. proxy: of the frame that is shown, null while it is not known. Nothing where
// there is no picture.
std::optional<Pointed> pointed_at(QPointF at, const Canvas& canvas, const QRectF& all,
                                  const Picture& shown, const Proxy* proxy);

}  // namespace tsukimi::app
