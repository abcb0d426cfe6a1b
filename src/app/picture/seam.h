// The seam: left of it the picture as it was shot. It can be dragged.
#pragma once

#include "app/picture/tool.h"

namespace tsukimi::app {

class Seam : public PictureTool {
 public:
  bool on = false;

  // The part of the widget in which the picture as shot stands.
  QRectF left_of(const Canvas& canvas) const;
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;

 private:
  double place_ = 0.5;  // of the picture's width
};

}  // namespace tsukimi::app
