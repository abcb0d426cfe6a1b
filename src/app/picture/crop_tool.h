// SPDX-License-Identifier: GPL-3.0-or-later
// The crop on the picture: drag its corners, its sides, its inside; a line that should be level;
// areas that stand still. What it leaves out is shaded; a glide shows where it goes.
//
// It works on the frame as it was shot: a crop that is steadied lies where this frame was shaken
// to.
#pragma once

#include "app/picture/tool.h"
#include "app/state/framing_work.h"

namespace tsukimi::app {

class CropTool : public PictureTool {
 public:
  CropTool(FramingWork& framing, Document& document, Playhead& playhead)
      : framing_(framing), document_(document), playhead_(playhead) {}
  bool shows_whole_frame() const override { return true; }
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;
  void release() override;

 private:
  struct Box {  // of the crop in the widget; its sides run along unit vectors
    QPointF middle, right, down;
    double w = 0, h = 0;
    QPointF at(double across, double down_by) const {  // -1..1 from side to side
      return middle + across * w / 2 * right + down_by * h / 2 * down;
    }
    QPolygonF outline() const { return QPolygonF({at(-1, -1), at(1, -1), at(1, 1), at(-1, 1)}); }
  };
  Box box_of(const Placement& crop, const Canvas& canvas) const;
  Box box(const Canvas& canvas) const;  // of the crop at the playhead
  QPointF way_point(int frame, const Canvas& canvas) const;
  void paint_guides(QPainter& p, const Box& box) const;
  void paint_way(QPainter& p, const Canvas& canvas) const;
  void paint_drawn(QPainter& p, const Canvas& canvas) const;
  void resize(QPointF to, const Canvas& canvas);
  void put(const Box& box, const Canvas& canvas);

  FramingWork& framing_;
  Document& document_;
  Playhead& playhead_;
  QPointF from_, to_;
  Point drawn_from_, drawn_to_;  // on the frame
  Box start_;
  int grip_x_ = 0, grip_y_ = 0;  // which corner or side: -1, 0, 1; both 0: the inside
  bool drawing_ = false;         // a line or an area
  int serial_ = 0;
};

}  // namespace tsukimi::app
