// SPDX-License-Identifier: GPL-3.0-or-later
// The place that is worked on: which of them, which of its shapes, the brush, and what is done with
// them. Every change goes through the document, every drag is one step of undo.
//
// Lives in the window's thread.
#pragma once

#include "app/state/key_work.h"
#include "places/place.h"

namespace tsukimi::app {

class PlaceWork : public QObject {
  Q_OBJECT
 public:
  PlaceWork(Document& document, Playhead& playhead, KeyWork& keys, Notices& notices);

  // While its drawer is open the timeline's key frames are those of the chosen place.
  void set_working(bool on);
  bool working() const { return working_; }
  int chosen() const { return chosen_; }  // -1: none
  void choose(int place);
  const LocalPlace* place() const;  // nullptr: none
  int shape() const { return shape_; }
  void choose_shape(int shape);
  const MaskShape* chosen_shape() const;
  // The chosen one at a frame, whether it does something or not; at the playhead.
  std::optional<PlaceAt> at(int frame) const;
  std::optional<PlaceAt> now() const { return at(playhead_.frame()); }
  KeyTarget target() const { return {kPlace, chosen_, 0}; }

  void add(ShapeKind kind);
  void remove();
  void duplicate();
  void rename(int place, const QString& name);
  void move(int by);  // among the others
  void set_on(int place, bool on);
  void set_invert(bool on);
  void set_follow(bool on);
  void set_tones(const Limit& limit);
  void set_hues(const Limit& limit);

  void add_shape(ShapeKind kind, Combine how);
  void remove_shape();
  void set_how(Combine how);
  // The next drag on the picture draws the shape that was added.
  bool drawing() const { return drawing_; }
  void end_drawing();
  // Values of the chosen shape at the playhead.
  void set_shape(const std::vector<std::pair<Param, double>>& values, const QString& gesture);
  // What is painted with the chosen shape, at the playhead.
  Painting painting() const;
  void paint(const Painting& painting, const QString& gesture);

  // By the clipboard, as JSON: a place goes to another shoot as well.
  void copy() const;
  bool can_paste() const;
  void paste();
  void copy_mask();
  bool has_mask() const { return mask_.has_value(); }
  void paste_mask(bool inverted);

  bool veil() const { return veil_; }  // its mask is shown over the picture
  void set_veil(bool on);
  quint64 serial() const { return serial_; }  // grows with what that changes in pictures

  struct Brush {
    double radius = 0.04, softness = 60, flow = 100;
    bool erase = false, edges = false;  // takes away; ends at edges
  };
  Brush brush;

 signals:
  void changed();  // which one, and what of it is shown

 private:
  void edit(const QString& text, const std::function<void(LocalPlace&)>& change,
            const QString& gesture = {});
  void edit_all(const QString& text, const std::function<void(std::vector<LocalPlace>&)>& change,
                int then_chosen);
  void hold_to_what_is_there();
  FrameId here() const;
  void tell_of_key(bool there);
  bool has_shape_key() const;

  Document& document_;
  Playhead& playhead_;
  KeyWork& keys_;
  Notices& notices_;
  bool working_ = false, veil_ = false, drawing_ = false;
  int chosen_ = -1, shape_ = 0;
  quint64 serial_ = 0;
  struct CopiedMask {
    std::vector<MaskShape> shapes;
    bool invert;
    Limit tones, hues;
  };
  std::optional<CopiedMask> mask_;
};

// "Graduated", "Ellipse", "Painted".
QString words_of(ShapeKind kind);

}  // namespace tsukimi::app
