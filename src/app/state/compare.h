// SPDX-License-Identifier: GPL-3.0-or-later
// What the picture is compared with, left of the seam: as shot, a frame that was pinned, the look
// as it was when a version was kept, or the film with its flicker.
//
// Lives in the window's thread.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"
#include "film/film.h"

namespace tsukimi::app {

class Compare : public QObject {
  Q_OBJECT
 public:
  Compare(Document& document, LightWork& light, Playhead& playhead, Notices& notices);

  enum class With { as_shot, pinned, version, flicker };
  With with() const { return with_; }
  void set_with(With with);  // what is not there yet is made of what is on screen
  void pin();                // the frame at the playhead
  void keep_version();       // the look, at all frames
  int pinned() const;        // frame, -1: none
  bool has_version() const { return version_.has_value(); }

  // What stands left of the seam while `frame` is looked at; not for as_shot, which is no recipe of
  // the film.
  FilmRecipe recipe(int frame, const View& view) const;
  QString before() const;  // what is left of the seam, in words
  QString after() const;
  quint64 serial() const { return serial_; }  // grows with every change

 signals:
  void changed();

 private:
  void tell(With with);
  void follow_light();
  Document& document_;
  LightWork& light_;
  Playhead& playhead_;
  Notices& notices_;
  With with_ = With::as_shot;
  std::optional<FrameId> pinned_;
  std::optional<Decisions> version_;
  std::unique_ptr<Courses> courses_;  // of the version
  LightPlan flickers_;                // the light's plan without what takes flicker out
  quint64 flickers_of_ = 0;           // which plan
  quint64 serial_ = 0;
};

}  // namespace tsukimi::app
