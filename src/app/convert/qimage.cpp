// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/convert/qimage.h"

namespace tsukimi::app {

QImage to_qimage(const Encoded8& e) {
  QImage out(e.width, e.height, QImage::Format_RGB32);
  for (int y = 0; y < e.height; ++y) {
    const auto* src = e.row(y);
    auto* dst = reinterpret_cast<QRgb*>(out.scanLine(y));
    for (int x = 0; x < e.width; ++x) dst[x] = qRgb(src[3 * x], src[3 * x + 1], src[3 * x + 2]);
  }
  return out;
}

}  // namespace tsukimi::app
