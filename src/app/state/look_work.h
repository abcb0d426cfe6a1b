// SPDX-License-Identifier: GPL-3.0-or-later
// The look at the playhead: its values, what is tried on, what is carried.
//
// Lives in the window's thread; what has to look at a picture does so in the background.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"
#include "document/files/saved_look.h"

namespace tsukimi::app {

class LookWork : public QObject {
  Q_OBJECT
 public:
  LookWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
           Notices& notices);

  // Sets a value at the playhead, or moves it at all key frames alike (move_all). What one
  // drag does at a frame is one step of undo.
  void set_value(Setting setting, double value, const QString& drag = {});
  bool move_all = false;
  // What else is done with one value; where there is nothing to do, nothing happens.
  void reset(Setting setting);                // here alone
  double preset(Param p) const;               // of this shoot: white balance begins as shot
  bool is_changed(Param p) const;             // from its preset, at some key frame
  void reset_everywhere(Setting setting);     // at all key frames
  void carry_everywhere(Setting setting);     // what it is here, to all key frames
  bool can_be_evened(Setting setting) const;  // this is a key frame between two others
  void even_out(Setting setting);             // here as it would run without this key frame
  QString set_text(Setting setting) const;    // as --set takes it
  void propose();                             // a look, for the frame at the playhead
  void measure_air();                         // of that frame, into its look
  // A look is copied with the frame it is of, and pasted whole here, or carried: chosen rows onto
  // chosen frames.
  void copy();
  void paste();
  bool has_copied() const { return copied_.has_value(); }
  const Values* copied() const { return copied_ ? &*copied_ : nullptr; }
  int copied_frame() const { return copied_frame_; }
  void carry(const Values& look, const std::vector<Param>& rows, const std::vector<int>& frames);
  // These rows of a saved look, at this frame.
  void apply(const SavedLook& saved, const std::vector<Param>& rows);

  // Shown at the playhead without being decided, until something else is tried or decided.
  void try_on(const SavedLook& saved, const std::vector<Param>& rows);
  void stop_trying();
  const std::optional<Values>& tried() const { return tried_; }
  const std::vector<PlaceAt>& tried_places() const { return tried_places_; }  // that it brings
  quint64 version() const { return version_; }  // grows with what is tried

 signals:
  void tried_changed();

 private:
  void set_here(const QString& text, Setting setting, double value);
  void set_at_all_keys(const QString& text, Setting setting, double value);
  void measure_air_of(int frame, const QString& gesture);
  bool clears_air(const Decisions& decisions, int frame) const;  // the look there, or some place
  bool needs_air(const Values& look, int frame) const;  // clear air begins to be used with it
  void show_tried(std::optional<Values> look, std::vector<PlaceAt> places);

  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  std::optional<Values> copied_, tried_;
  std::optional<Values> tried_from_;  // tried_ before its air was measured
  std::vector<PlaceAt> tried_places_;
  int copied_frame_ = -1;
  quint64 version_ = 0;
};

}  // namespace tsukimi::app
