// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs on the picture: a click mends a spot, a drag draws an area; what is chosen shows where it
// is covered from, and both ends can be dragged.
#pragma once

#include "app/picture/tool.h"
#include "app/state/repair_work.h"

namespace tsukimi::app {

class RepairTool : public PictureTool {
 public:
  RepairTool(RepairWork& repairs, Document& document, Playhead& playhead)
      : repairs_(repairs), document_(document), playhead_(playhead) {}
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;
  void release() override;
  bool hover(QPointF at) override;

 private:
  enum class Grip { none, make, middle, source, rim };
  std::optional<RepairAt> now(std::size_t repair) const;  // at the playhead, on or off
  QPolygonF outline(const RepairAt& r, const Canvas& canvas) const;

  RepairWork& repairs_;
  Document& document_;
  Playhead& playhead_;
  Grip grip_ = Grip::none;
  QPointF from_;
  // From what is covered to what covers it: one that can be shown and dragged.
  struct Way {
    Point at, source;
  };
  static std::optional<Way> way_of(const RepairAt& repair);
  Way start_;  // when a drag began
  std::vector<Point> drawn_;
  std::optional<Point> clicked_;
  std::optional<QPointF> pointer_;
  int serial_ = 0;
};

}  // namespace tsukimi::app
