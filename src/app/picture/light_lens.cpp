// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/light_lens.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "measure/cell_light.h"

namespace tsukimi::app {
namespace {

constexpr int kSteps = 4096;  // of linear light

double linear_of(double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); }
double display_of(double v) {
  return v <= 0.0031308 ? v * 12.92 : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
}

// IEC 61966-2-1, and back.
struct Tables {
  std::array<float, 256> linear;
  std::array<uchar, kSteps + 1> display;
  Tables() {
    for (int i = 0; i < 256; ++i) linear[i] = static_cast<float>(linear_of(i / 255.0) * kSteps);
    for (int i = 0; i <= kSteps; ++i)
      display[i] =
          static_cast<uchar>(std::lround(255 * display_of(static_cast<double>(i) / kSteps)));
  }
};

// Between the cells' middles; beyond the outermost as they are.
struct Between {
  int cell;
  float share;  // of the next one
};
Between between(double place, int cells) {
  const double at = std::clamp(place * cells - 0.5, 0.0, cells - 1.001);
  return {static_cast<int>(at), static_cast<float>(at - std::floor(at))};
}

// Over the cells round each, the middle one twice as much: what moves across single cells is less
// than what all of them do.
std::vector<float> smoothed(const float* cells) {
  std::vector<float> out(CellLight::kCells);
  for (int y = 0; y < CellLight::kDown; ++y)
    for (int x = 0; x < CellLight::kAcross; ++x) {
      float sum = 0, weight = 0;
      for (int j = std::max(0, y - 1); j <= std::min(CellLight::kDown - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(CellLight::kAcross - 1, x + 1); ++i) {
          const float w = (i == x ? 2.0f : 1.0f) * (j == y ? 2.0f : 1.0f);
          sum += w * cells[j * CellLight::kAcross + i], weight += w;
        }
      out[static_cast<std::size_t>(y * CellLight::kAcross + x)] = sum / weight;
    }
  return out;
}

}  // namespace

QImage exaggerated(const QImage& image, const Placement& shows, const float* departures,
                   double times) {
  static const Tables tables;
  constexpr float kMost = 4;  // stops
  std::vector<float> gains = smoothed(departures);
  for (float& v : gains)
    v = std::exp2(std::clamp(static_cast<float>(times - 1) * v, -kMost, kMost));
  QImage out = image.convertToFormat(QImage::Format_RGB32);
  // Gains change slowly: one for so many pixels beside each other.
  constexpr int kStride = 8;
  for (int y = 0; y < out.height(); ++y) {
    auto* row = reinterpret_cast<QRgb*>(out.scanLine(y));
    for (int x = 0; x < out.width(); x += kStride) {
      const int end = std::min(x + kStride, out.width());
      const Point at = shows.at((x + end) / 2.0 / out.width(), (y + 0.5) / out.height());
      const Between u = between(at.x, CellLight::kAcross), v = between(at.y, CellLight::kDown);
      const float* top = gains.data() + v.cell * CellLight::kAcross + u.cell;
      const float* low = top + CellLight::kAcross;
      const float gain = (1 - v.share) * ((1 - u.share) * top[0] + u.share * top[1]) +
                         v.share * ((1 - u.share) * low[0] + u.share * low[1]);
      const auto shown = [&](int value) {
        const float light = tables.linear[static_cast<std::size_t>(value)] * gain;
        return tables
            .display[static_cast<std::size_t>(std::min(light, static_cast<float>(kSteps)))];
      };
      for (int i = x; i < end; ++i)
        row[i] = qRgb(shown(qRed(row[i])), shown(qGreen(row[i])), shown(qBlue(row[i])));
    }
  }
  return out;
}

}  // namespace tsukimi::app
