// SPDX-License-Identifier: GPL-3.0-or-later
// Draws the areas in which flicker is measured, or is not, and lays over the picture how steady
// each part of it was found to be.
#pragma once

#include "app/picture/tool.h"
#include "app/state/session.h"

namespace tsukimi::app {

class SteadyAreaTool : public PictureTool {
 public:
  explicit SteadyAreaTool(Session& session) : session_(session) {}
  bool shows_whole_frame() const override { return true; }
  Qt::CursorShape cursor() const override { return Qt::CrossCursor; }
  void paint(QPainter& p, const Canvas& canvas) override;
  bool press(QPointF at, const Canvas& canvas) override;
  void drag(QPointF at, const Canvas& canvas) override;
  void release() override;

 private:
  // Areas lie as the first frame does: by how much the picture has moved since, in fractions.
  QPointF moved() const;
  void paint_area(QPainter& p, const Canvas& canvas, const SteadyArea& area, bool strong) const;
  void paint_map(QPainter& p, const Canvas& canvas);

  Session& session_;
  std::vector<Point> drawn_;  // corners while one is drawn: two opposite ones, or an outline
  std::optional<SteadyArea> area_;
  QImage map_;
  quint64 map_of_ = 0;  // the version of the plan
};

}  // namespace tsukimi::app
