// SPDX-License-Identifier: GPL-3.0-or-later
// The repairs: which one is worked on, new ones, and what has to be found for them in the pictures.
//
// Lives in the window's thread; looking for a source and for dust runs in the background.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"
#include "find_repairs/find_repairs.h"

namespace tsukimi::app {

class RepairWork : public QObject {
  Q_OBJECT
 public:
  RepairWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
             Notices& notices);

  int chosen() const { return chosen_; }  // -1: none
  void choose(int repair);
  const Repair* repair() const;  // nullptr: none
  // What a click or a drag on the picture makes.
  enum class New { spot, area };
  New makes = New::spot;
  double radius = 0.012;  // of a new spot, in widths of the frame

  // Covered from where that is best, over the sequence: it is looked for, then the repair is there.
  void add_spot(const Point& at);
  void add_area(const std::vector<Point>& polygon);
  void find_dust();  // all of it
  bool looking() const { return is_running(looking_); }
  // The map that dust was found in, of the shoot that is open; nothing before.
  const std::shared_ptr<const DustMap>& map() const { return map_; }

  void remove();
  void set_on(int repair, bool on);
  // Of a spot: as it stands, or at the playhead when it has key frames.
  void set_spot(const std::vector<std::pair<Param, double>>& values, const QString& gesture);
  void set_source(const Point& source, const QString& gesture);  // of an area
  void set_fill(FillFrom fill);
  void set_frames(int first, int last);  // of an area; to the end: the last frame
  void set_fade(int frames);
  void set_keyed(bool on);  // a spot moves from key frame to key frame

  bool hidden() const { return hidden_; }  // the picture is shown without repairs
  void set_hidden(bool on);
  quint64 serial() const { return serial_; }

 signals:
  void changed();

 private:
  void hold_to_what_is_there();
  void edit_area(const QString& text, const std::function<void(AreaRepair&)>& change,
                 const QString& gesture = {});
  KeyedValues& keyed_values(Shoot& shoot) const;
  void look_for_source(const QString& text, Repair repair);

  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  int chosen_ = -1;
  bool hidden_ = false;
  quint64 serial_ = 0;
  TaskPtr looking_;
  std::shared_ptr<const DustMap> map_;
};

}  // namespace tsukimi::app
