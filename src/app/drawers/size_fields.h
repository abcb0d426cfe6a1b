// SPDX-License-Identifier: GPL-3.0-or-later
// How many pixels: all of the crop, a usual size, a longer edge, or exactly so many.
#pragma once

#include <QComboBox>
#include <QWidget>

#include "app/widgets/column.h"
#include "document/exports/export_settings.h"

namespace tsukimi::app {

class SizeFields : public QWidget, protected Column {
  Q_OBJECT
 public:
  // Names of the fields begin with this.
  explicit SizeFields(const QString& name);
  // now: what it comes to.
  void show_pixels(const PixelSize& pixels, Size now);

 signals:
  void edited(const PixelSize& pixels);

 private:
  void show_kind(const PixelSize& pixels);
  QComboBox* kind_;
  QSpinBox *long_edge_, *width_, *height_;
  Size now_;
  bool exact_ = false;  // an exact size was asked for last
};

}  // namespace tsukimi::app
