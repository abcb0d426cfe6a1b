// SPDX-License-Identifier: GPL-3.0-or-later
// How large the picture is seen: fit, or so many pixels of the screen for one of the picture; and
// which part of it. Larger than the view, it is moved by dragging.
#pragma once

#include "app/picture/tool.h"

namespace tsukimi::app {

class Zoom : public PictureTool {
 public:
  static constexpr double kFit = 0;
  static constexpr double kSteps[] = {kFit, 0.5, 1, 2};

  double scale = kFit;
  QPointF centre{0.5, 0.5};  // of what is seen, in fractions of the visible part
  bool fits() const { return scale == kFit; }

  // The step above (+1) or below (-1) what is seen; fit: the scale that fit is now.
  double next(int direction, double fit) const;
  // To that scale, the place `at` of the widget staying below the pointer. now, then: the canvas
  // before and with the new scale about the same centre.
  void keep_in_place(QPointF at, const Canvas& now, const Canvas& then);

  bool press(QPointF at, const Canvas&) override {
    from_ = at;
    return !fits();
  }
  void drag(QPointF at, const Canvas& canvas) override;

 private:
  void move(QPointF by, const Canvas& canvas);
  QPointF from_;
};

}  // namespace tsukimi::app
