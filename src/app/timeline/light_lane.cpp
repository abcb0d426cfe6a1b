// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/light_lane.h"

#include <QPainterPath>
#include <cmath>

#include "app/timeline/trace.h"
#include "app/widgets/style.h"

namespace tsukimi::app {
// Brightness after everything that counts in stops: corrections and the exposure of the look.
std::vector<double> LightLane::developed() const {
  std::vector<double> out = session_.light.plan().deflickered;
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] += session_.document.course().at(Param::exposure, static_cast<int>(i));
  return out;
}

void LightLane::paint_tones(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const int n = session_.document.shoot().frame_count();
  const int a = std::max(0, static_cast<int>(std::floor(scale.first - 0.5))),
            b = std::min(n - 1, static_cast<int>(std::ceil(scale.last + 0.5)));
  if (b < a) return;
  // A pixel of the picture is a frame and a tone; long shoots have more frames than the lane
  // pixels.
  const int every = std::max(1, static_cast<int>((b - a + 1) / r.width()));
  constexpr int kBins = ToneColumn::kBins;
  QImage columns((b - a) / every + 1, kBins, QImage::Format_ARGB32_Premultiplied);
  columns.fill(Qt::transparent);
  p.save();
  p.setClipRect(r);
  std::vector<QRectF> lost;
  for (int x = 0; x < columns.width(); ++x) {
    const int frame = a + x * every;
    const ToneColumn* tones = session_.tones.at(frame);
    if (!tones) continue;
    for (int k = 0; k < kBins; ++k) {
      const float share = tones->spread[static_cast<std::size_t>(k)];
      // The tenth part of a picture in one tone is as bright as it gets.
      if (share <= 0) continue;
      const float strength = std::min(1.0f, std::sqrt(share * 10.0f));
      const int grey = 80 + 150 * k / kBins, alpha = static_cast<int>(200 * strength + 0.5f);
      reinterpret_cast<QRgb*>(columns.scanLine(kBins - 1 - k))[x] =
          qPremultiply(qRgba(grey, grey, grey, alpha));
    }
    // As long as much is lost; the least that matters is a pixel.
    const double left = scale.x_of(frame - 0.5), width = scale.x_of(frame - 0.5 + every) - left;
    auto edge = [&](float share, bool top) {
      if (share < 0.0005f) return;
      const double h = std::clamp(std::sqrt(static_cast<double>(share)) * 0.25 * r.height(), 1.0,
                                  r.height() / 4);
      lost.emplace_back(left, top ? r.top() : r.bottom() - h, width, h);
    };
    edge(tones->clipped, true);
    edge(tones->black, false);
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(
      QRectF(scale.x_of(a - 0.5), r.top(),
             scale.x_of(a - 0.5 + columns.width() * every) - scale.x_of(a - 0.5), r.height()),
      columns);
  p.setPen(Qt::NoPen);
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setBrush(colour::coral);
  for (const QRectF& bar : lost) p.drawRect(bar);
  p.restore();
}

void LightLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  if (session_.tones.on()) paint_tones(p, r, scale);
  if (!session_.light.known()) {
    p.setPen(colour::quiet);
    p.drawText(r, Qt::AlignCenter,
               session_.light.measuring()
                   ? tr("The brightness curve appears when the light has been measured.")
                   : tr("The light has not been measured. Click here to measure it."));
    return;
  }
  const auto& light = session_.light.plan();
  const auto after = developed();
  double low = 1e9, high = -1e9;
  auto span = [&](const std::vector<double>& v) {
    for (double x : v)
      if (!std::isnan(x)) low = std::min(low, x), high = std::max(high, x);
  };
  span(light.as_shot);
  span(after);
  if (low > high) return;
  const double pad = std::max(0.15, 0.04 * (high - low));
  low -= pad, high += pad;
  // A quiet line every stop (or two, or five), named at the left.
  const double every = high - low > 14 ? 5 : high - low > 6 ? 2 : 1;
  const QFont normal = p.font();
  QFont small = normal;
  small.setPixelSize(text_px(9));
  p.setFont(small);
  for (double v = std::ceil(low / every) * every; v < high; v += every) {
    const double y = r.bottom() - 4 - (v - low) / (high - low) * (r.height() - 8);
    p.setPen(QPen(QColor(0x2e, 0x2e, 0x2f), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(colour::quiet);
    p.drawText(QRectF(r.left() - text_px(34), y - text_px(6), text_px(34) - 4, text_px(12)),
               Qt::AlignRight | Qt::AlignVCenter,
               QString::number(v, 'f', 0).replace('-', QChar(0x2212)));
  }
  p.setFont(normal);
  const Trace trace{p, r, scale, low, high};
  trace.draw(light.as_shot, QPen(colour::shot, 1.1));
  if (session_.document.decisions().deflicker.on)
    trace.draw(light.goal, QPen(colour::goal, 1, Qt::DashLine));
  trace.draw(after, QPen(colour::moon, 1.7));
  // Legend: what the lines are, in words.
  QFont f = normal;
  f.setPixelSize(text_px(10));
  p.setFont(f);
  const double line = text_px(14);
  double x = r.right() - 4;
  auto entry = [&](const QString& text, const QPen& pen) {
    const double w = p.fontMetrics().horizontalAdvance(text);
    x -= w;
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x1f, 0x1f, 0x20, 200));
    p.drawRect(QRectF(x - 24, r.top() + 1, w + 26, line));
    p.setPen(colour::quiet);
    p.drawText(QRectF(x, r.top() + 1, w + 2, line), Qt::AlignVCenter, text);
    p.setPen(pen);
    p.drawLine(QPointF(x - 21, r.top() + 1 + line / 2), QPointF(x - 5, r.top() + 1 + line / 2));
    x -= 34;
  };
  entry(tr("developed"), QPen(colour::moon, 1.7));
  if (session_.document.decisions().deflicker.on)
    entry(tr("goal"), QPen(colour::goal, 1, Qt::DashLine));
  entry(tr("as shot"), QPen(colour::shot, 1.1));
}

}  // namespace tsukimi::app
