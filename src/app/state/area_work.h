// SPDX-License-Identifier: GPL-3.0-or-later
// Work on the areas in which flicker is measured: what is drawn next, which one is chosen, and
// whether the picture shows how steady each part of it is.
//
// Lives in the window's thread.
#pragma once

#include "app/state/document.h"

namespace tsukimi::app {

class AreaWork : public QObject {
  Q_OBJECT
 public:
  explicit AreaWork(Document& document) : document_(document) {}

  // Of the next one.
  AreaShape shape() const { return shape_; }
  bool leaves_out() const { return leave_out_; }
  void set_shape(AreaShape shape) { shape_ = shape; }
  void set_leaves_out(bool on) { leave_out_ = on; }

  int chosen() const { return chosen_; }  // -1: none
  void choose(int area);
  bool map() const { return map_; }
  void set_map(bool on);

  void add(const SteadyArea& area);
  void remove_chosen();
  void clear();

 signals:
  void changed();  // what is seen of them

 private:
  Document& document_;
  AreaShape shape_ = AreaShape::rectangle;
  bool leave_out_ = false, map_ = false;
  int chosen_ = -1;
};

}  // namespace tsukimi::app
