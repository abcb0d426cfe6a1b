// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/histogram_view.h"

#include <QPainter>
#include <cmath>

#include "app/widgets/style.h"

namespace tsukimi::app {

double most_of(const Histogram& h) {
  std::uint32_t most = 1;
  for (const auto& channel : h.counts)
    for (int i = 1; i + 1 < Histogram::kBins; ++i) most = std::max(most, channel[i]);
  return most;
}

QPainterPath tones_path(const QRectF& r, const Histogram& h, Histogram::Channel channel,
                        double most) {
  const auto& bins = h.counts[channel];
  QPainterPath path;
  // Two bins a point: 8 bit that was stretched has combs.
  for (int i = 0; i < Histogram::kBins; i += 2) {
    const double mean = (bins[i] + bins[i + 1]) / 2.0,
                 y = r.bottom() - std::min(1.0, std::sqrt(mean / most)) * r.height(),
                 x = r.left() + (i + 0.5) / (Histogram::kBins - 1) * r.width();
    i ? path.lineTo(x, y) : path.moveTo(r.left(), y);
  }
  path.lineTo(r.right(), path.currentPosition().y());
  return path;
}

void fill_tones(QPainter& p, const QRectF& r, QPainterPath path, const QColor& ink) {
  path.lineTo(r.bottomRight());
  path.lineTo(r.bottomLeft());
  p.fillPath(path, ink);
}

QString share_text(const char* word, double share) {
  const double percent = 100 * share;
  return QString("%1 %2 %").arg(word).arg(percent, 0, 'f', percent < 10 ? 2 : 1);
}

HistogramView::HistogramView(Preview& preview, PictureView& picture, QWidget* parent)
    : QWidget(parent), preview_(preview), picture_(picture) {
  setObjectName("histogram");
  setAccessibleName(tr("Histogram"));
  setFixedHeight(138);
  connect(&picture_.shown(), &ShownPicture::picture_changed, this, qOverload<>(&QWidget::update));
  set_sensor(false);
}

void HistogramView::set_sensor(bool on) {
  sensor_ = on;
  setToolTip(on ? tr("The sensor's light before white balance and look, in stops below its end.\n"
                     "Clipped: pixels of the file at its end. Black: no light above the floor.")
                : tr("The picture on screen: red, green, blue, and brightness filled.\n"
                     "Clipped: a channel is at its end. Black: all are."));
  update();
}

std::shared_ptr<const Histogram> HistogramView::shown() const {
  return sensor_ ? picture_.shown().sensor_tones() : picture_.shown().picture().tones;
}

void HistogramView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF all(rect()), f = all.adjusted(8, 8, -8, -34);
  p.fillRect(QRectF(all.left(), all.top(), all.width(), f.bottom() + 4), colour::ground);
  QFont small = font();
  small.setPixelSize(text_px(10));
  p.setFont(small);
  // The axis: per cent of what is shown, or stops.
  for (int i = 0; i <= 4; ++i) {
    const double share = sensor_ ? 1 + (-12 + 3 * i) / -kSensorFloor : i / 4.0,
                 x = f.left() + share * f.width();
    p.setPen(QPen(QColor(0x2e, 0x2e, 0x2f), 1));
    p.drawLine(QPointF(x, f.top()), QPointF(x, f.bottom()));
    const QString text = sensor_ ? QString::number(-12 + 3 * i).replace('-', QChar(0x2212))
                                 : QString::number(25 * i);
    p.setPen(colour::quiet);
    const double w = p.fontMetrics().horizontalAdvance(text);
    p.drawText(QPointF(std::clamp(x - w / 2, all.left(), all.right() - w), f.bottom() + 16), text);
  }
  const auto h = shown();
  if (!h) return;
  const double most = most_of(*h);
  fill_tones(p, f, tones_path(f, *h, Histogram::brightness, most), QColor(0xe9, 0xe7, 0xe1, 70));
  for (int c = 0; c < 3; ++c)
    p.strokePath(tones_path(f, *h, static_cast<Histogram::Channel>(c), most),
                 QPen(colour::channels[c], 1.2));
  const QRectF words(all.left(), all.bottom() - 14, all.width(), 14);
  auto share = [&](const char* word, double of, Qt::AlignmentFlag side) {
    p.setPen(of > kWorthALook ? colour::coral : colour::quiet);
    p.drawText(words, side | Qt::AlignVCenter, share_text(word, of));
  };
  share("black", h->black, Qt::AlignLeft);
  share("clipped", h->clipped, Qt::AlignRight);
  p.setPen(colour::quiet);
  p.drawText(words, Qt::AlignCenter, sensor_ ? "stops" : "%");
}

}  // namespace tsukimi::app
