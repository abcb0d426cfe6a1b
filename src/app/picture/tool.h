// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done on the picture with the mouse, a tool a file. The view asks its tools in turn
// who takes a press; that one gets the drag.
#pragma once

#include <QCoreApplication>

#include "app/picture/canvas.h"

namespace tsukimi::app {

class PictureTool {
  Q_DECLARE_TR_FUNCTIONS(PictureTool)
 public:
  virtual ~PictureTool() = default;
  virtual bool shows_whole_frame() const { return false; }  // else the part that the film shows
  virtual Qt::CursorShape cursor() const { return Qt::ArrowCursor; }
  virtual void paint(QPainter&, const Canvas&) {}
  // A press of the left button: true when it is this tool's.
  virtual bool press(QPointF at, const Canvas& canvas) = 0;
  virtual void drag(QPointF at, const Canvas& canvas) = 0;
  virtual void release() {}
  // The pointer is there, with no button down: true when that is to be drawn.
  virtual bool hover(QPointF) { return false; }
};

}  // namespace tsukimi::app
