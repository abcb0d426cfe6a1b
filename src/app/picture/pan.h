// Moves the picture at 100 %.
#pragma once

#include <algorithm>

#include "app/picture/tool.h"

namespace tsukimi::app {

class Pan : public PictureTool {
 public:
  bool on = false;
  QPointF centre{0.5, 0.5};  // of what is seen, in fractions of the visible part

  bool press(QPointF at, const Canvas&) override {
    from_ = at;
    return on;
  }
  void drag(QPointF at, const Canvas& canvas) override {
    const QPointF moved((at.x() - from_.x()) / canvas.target.width(),
                        (at.y() - from_.y()) / canvas.target.height());
    centre = {std::clamp(centre.x() - moved.x(), 0.0, 1.0),
              std::clamp(centre.y() - moved.y(), 0.0, 1.0)};
    from_ = at;
  }

 private:
  QPointF from_;
};

}  // namespace tsukimi::app
