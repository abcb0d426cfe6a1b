// SPDX-License-Identifier: GPL-3.0-or-later
// The seam: left of it what the picture is compared with. It can be dragged.
#pragma once

#include "app/picture/tool.h"
#include "app/state/compare.h"

namespace tsukimi::app {

class Seam : public PictureTool {
 public:
  explicit Seam(const Compare& compare) : compare_(compare) {}
  bool on = false;

  // The part of the widget in which that stands.
  QRectF left_of(const Canvas& canvas) const;
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;

 private:
  const Compare& compare_;
  double place_ = 0.5;  // of the picture's width
};

}  // namespace tsukimi::app
