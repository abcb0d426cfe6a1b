// Moves the crop; all that it leaves out is shaded.
#pragma once

#include "app/picture/tool.h"
#include "app/state/document.h"

namespace tsukimi::app {

class CropTool : public PictureTool {
 public:
  explicit CropTool(Document& document) : document_(document) {}
  bool shows_whole_frame() const override { return true; }
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;

 private:
  Document& document_;
  QPointF from_;
  Rect start_;
  int serial_ = 0;
};

}  // namespace tsukimi::app
