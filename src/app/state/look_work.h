// The look at the playhead: values, key frames, what is proposed, what is carried.
//
// Lives in the window's thread; what has to look at a picture does so in the background.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"

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
  void toggle_key();
  void propose_keys();
  void propose();      // a look, for the frame at the playhead
  void measure_air();  // of that frame, into its look
  void copy();
  void paste();
  bool has_copied() const { return copied_.has_value(); }

 private:
  void set_here(const QString& text, Setting setting, double value);
  void set_at_all_keys(const QString& text, Setting setting, double value);
  void measure_air_of(int frame, const QString& gesture);

  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  std::optional<Values> copied_;
};

}  // namespace tsukimi::app
