// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/tone_wedge.h"

#include <cmath>

#include "app/widgets/style.h"
#include "develop/tone_response.h"

namespace tsukimi::app {

QImage tone_wedge(Param p, double value, QSize pixels) {
  const auto& row = info(p);
  Look look = presets(kLook);
  auto response = [&](double v) {
    look[p] = v;
    return tone_response(look, pixels.width());
  };
  const std::vector<float> before = response(row.preset), after = response(value);
  const bool still = value == row.preset;
  const std::vector<float> would =
      still ? response(row.preset + (row.max - row.preset) / 2) : after;
  float most = 1e-4f;
  for (std::size_t x = 0; x < would.size(); ++x)
    most = std::max(most, std::fabs(would[x] - before[x]));
  const int line = pixels.height() / 3;
  QImage out(pixels, QImage::Format_ARGB32_Premultiplied);
  out.fill(Qt::transparent);
  for (int x = 0; x < pixels.width(); ++x) {
    const auto i = static_cast<std::size_t>(x);
    const int grey = static_cast<int>(std::lround(255 * after[i]));
    QColor moved = still ? colour::quiet : colour::moon;
    moved.setAlphaF(std::fabs(would[i] - before[i]) / most);
    for (int y = 0; y < pixels.height(); ++y)
      if (y < pixels.height() - line - 1)
        out.setPixelColor(x, y, QColor(grey, grey, grey));
      else if (y >= pixels.height() - line)
        out.setPixelColor(x, y, moved);
  }
  return out;
}

}  // namespace tsukimi::app
