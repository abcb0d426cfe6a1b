// SPDX-License-Identifier: GPL-3.0-or-later
// How the tones of the picture on screen are spread: as it is shown, or as the sensor saw it, in
// stops below its end.
#pragma once

#include <QPainterPath>

#include "app/picture/picture_view.h"

namespace tsukimi::app {

class HistogramView : public QWidget {
  Q_OBJECT
 public:
  HistogramView(Preview& preview, PictureView& picture, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {250, 138}; }
  void set_sensor(bool on);
  bool sensor() const { return sensor_; }
  // What is drawn; nullptr: nothing yet.
  std::shared_ptr<const Histogram> shown() const;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  Preview& preview_;
  PictureView& picture_;
  bool sensor_ = false;
};

// One channel's course over r, from its left edge to its right one. `most` counts reach the top;
// roots are shown, so that a few bright lamps are seen beside a whole sky.
QPainterPath tones_path(const QRectF& r, const Histogram& h, Histogram::Channel channel,
                        double most);
// Filled down to the lower edge of r.
void fill_tones(QPainter& p, const QRectF& r, QPainterPath path, const QColor& ink);
double most_of(const Histogram& h);  // without the bins at both ends, where all that is lost lies

// "clipped 1.2 %", in coral when it is worth a look.
QString share_text(const char* word, double share);
constexpr double kWorthALook = 0.0005;

}  // namespace tsukimi::app
