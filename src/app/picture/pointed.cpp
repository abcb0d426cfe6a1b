// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/pointed.h"

#include <algorithm>
#include <cmath>

#include "measure/histogram.h"

namespace tsukimi::app {
namespace {

// The pixel at a place in fractions of the picture.
int pixel(double fraction, int pixels) {
  return std::clamp(static_cast<int>(fraction * pixels), 0, pixels - 1);
}

std::array<double, 3> sensor_stops(const Proxy& proxy, QPointF at) {
  const Rect there = part_of_proxy(proxy, {at.x(), at.y(), 1e-9, 1e-9});
  const int x = pixel(there.x, proxy.width), y = pixel(there.y, proxy.height);
  const auto w = static_cast<std::size_t>(proxy.width), h = static_cast<std::size_t>(proxy.height);
  std::array<double, 3> out;
  for (std::size_t c = 0; c < 3; ++c) {
    const std::uint16_t value =
        proxy.data[(c * h + static_cast<std::size_t>(y)) * w + static_cast<std::size_t>(x)];
    const double light = proxy.stored().light(value);
    out[c] = light > 0 ? std::max(kSensorFloor, std::log2(light)) : kSensorFloor;
  }
  return out;
}

}  // namespace

std::optional<Pointed> pointed_at(QPointF at, const Canvas& canvas, const QRectF& all,
                                  const Picture& shown, const Proxy* proxy) {
  if (shown.isNull()) return {};
  if (!canvas.target.contains(at) || !all.contains(at)) return {};
  const QPoint place(pixel((at.x() - all.x()) / all.width(), shown.image.width()),
                     pixel((at.y() - all.y()) / all.height(), shown.image.height()));
  Pointed out{shown.image.pixelColor(place), {}};
  if (proxy) out.sensor = sensor_stops(*proxy, canvas.to_frame(at));
  return out;
}

}  // namespace tsukimi::app
