// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/clipping.h"

#include <algorithm>
#include <vector>

#include "app/widgets/style.h"
#include "measure/histogram.h"

namespace tsukimi::app {

QImage clipping_marks(const QImage& picture, const QRectF& of, QSize pixels) {
  QImage out(pixels, QImage::Format_ARGB32_Premultiplied);
  out.fill(Qt::transparent);
  if (picture.isNull() || pixels.isEmpty()) return out;
  const QRgb stripe = colour::coral.rgb(), dot = colour::moon.rgb(),
             ground = qRgb(0x1b, 0x1b, 0x1c);
  constexpr int kPeriod = 8, kDot = 4;
  std::vector<int> columns(static_cast<std::size_t>(pixels.width()));
  for (int x = 0; x < pixels.width(); ++x)
    columns[static_cast<std::size_t>(x)] = std::clamp(
        static_cast<int>(of.x() + (x + 0.5) / pixels.width() * of.width()), 0, picture.width() - 1);
  for (int y = 0; y < pixels.height(); ++y) {
    const int from =
        std::clamp(static_cast<int>(of.y() + (y + 0.5) / pixels.height() * of.height()), 0,
                   picture.height() - 1);
    const auto* row = reinterpret_cast<const QRgb*>(picture.constScanLine(from));
    auto* to = reinterpret_cast<QRgb*>(out.scanLine(y));
    for (int x = 0; x < pixels.width(); ++x) {
      const QRgb c = row[columns[static_cast<std::size_t>(x)]];
      if (is_clipped(qRed(c), qGreen(c), qBlue(c)))
        to[x] = (x + y) % kPeriod < kPeriod / 2 ? stripe : ground;
      else if (is_black(qRed(c), qGreen(c), qBlue(c)))
        to[x] = x % kDot < 2 && y % kDot < 2 ? dot : ground;
    }
  }
  return out;
}

}  // namespace tsukimi::app
