// SPDX-License-Identifier: GPL-3.0-or-later
// Draws the area in which brightness is measured for deflicker.
#pragma once

#include "app/picture/tool.h"
#include "app/state/document.h"

namespace tsukimi::app {

class SteadyAreaTool : public PictureTool {
 public:
  explicit SteadyAreaTool(Document& document) : document_(document) {}
  bool shows_whole_frame() const override { return true; }
  Qt::CursorShape cursor() const override { return Qt::CrossCursor; }
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;
  void release() override;

 private:
  Document& document_;
  QPointF from_;
  std::optional<Rect> drawn_;  // while it is being drawn
};

}  // namespace tsukimi::app
