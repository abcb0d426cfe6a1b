// SPDX-License-Identifier: GPL-3.0-or-later
// Work on the framing: which part of it is in hand, and its changes with their undo.
//
// Lives in the window's thread.
#pragma once

#include "app/state/key_work.h"
#include "document/framing/framing_edit.h"

namespace tsukimi::app {

enum class Guides { thirds, diagonals, centre, safe, none };

class FramingWork : public QObject {
  Q_OBJECT
 public:
  FramingWork(Document& document, Playhead& playhead, KeyWork& keys, Notices& notices);

  // The drawer is open: key frames in hand are the glide's, and the picture shows the whole frame.
  void set_working(bool on);
  bool working() const { return working_; }
  void set_guides(Guides guides);
  Guides guides() const { return guides_; }
  // What dragging on the picture does beside moving the crop: a line that should be level, or an
  // area that stands still.
  enum class Drawing { none, level, area };
  void set_drawing(Drawing drawing);
  Drawing drawing() const { return drawing_; }

  bool has_glide() const;
  bool is_free() const;   // the shape
  CropAt crop() const;    // at the playhead, as asked for
  double height() const;  // of it, in heights of the frame
  void set_shape(const QString& aspect);
  // height: of a free shape.
  void set_crop(const CropAt& crop, std::optional<double> height, const QString& gesture);
  void straighten(double degrees, const QString& gesture);
  void level_by(Point from, Point to);
  void propose(GlideKind kind);
  void end_glide();
  void set_rest(bool at_ends);
  bool rests() const;  // at both ends
  void set_steadying(Steadying how);
  void set_period(double frames, const QString& gesture);
  void add_area(const Rect& area);
  void clear_areas();

 signals:
  void changed();  // what is in hand

 private:
  Document& document_;
  Playhead& playhead_;
  KeyWork& keys_;
  Notices& notices_;
  bool working_ = false;
  Guides guides_ = Guides::thirds;
  Drawing drawing_ = Drawing::none;
};

}  // namespace tsukimi::app
