// SPDX-License-Identifier: GPL-3.0-or-later
// Shapes of the chosen place on the picture: lines and handles of a graduated one and of an
// ellipse, the brush of a painted one.
#pragma once

#include "app/picture/tool.h"
#include "app/state/place_work.h"

namespace tsukimi::app {

class PlaceTool : public PictureTool {
 public:
  explicit PlaceTool(PlaceWork& places) : places_(places) {}
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;
  void release() override;
  bool hover(QPointF at) override;

 private:
  // What a handle moves.
  enum class Grip { none, from, to, both, centre, across, along, feather, brush, draw };
  struct Handle {
    Grip grip;
    QPointF at;
  };
  std::vector<Handle> handles(const Canvas& canvas) const;
  void paint_graduated(QPainter& p, const Canvas& canvas, const Values& v, bool chosen) const;
  void paint_ellipse(QPainter& p, const Canvas& canvas, const Values& v, bool chosen) const;
  void drag_graduated(QPointF by, QPointF to, const Canvas& canvas);
  void drag_ellipse(QPointF by, QPointF to, const Canvas& canvas);
  void stroke_to(QPointF at, const Canvas& canvas);
  const MaskShape* shape() const { return places_.chosen_shape(); }
  QString gesture() const { return QString("shape, drag %1").arg(serial_); }

  PlaceWork& places_;
  Grip grip_ = Grip::none;
  QPointF from_;     // of the drag, in the widget
  Values start_;     // of the shape, when it began
  Painting before_;  // without the stroke that is drawn
  Stroke stroke_;
  std::optional<QPointF> pointer_;
  int serial_ = 0;
};

}  // namespace tsukimi::app
