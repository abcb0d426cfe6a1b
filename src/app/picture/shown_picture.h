// SPDX-License-Identifier: GPL-3.0-or-later
// Which picture of the frame is on screen: while something moves the live one, at rest the finished
// one from its file; or why there is none.
#pragma once

#include <QObject>
#include <QTimer>

#include "app/picture/preview.h"

namespace tsukimi::app {

class ShownPicture : public QObject {
  Q_OBJECT
 public:
  ShownPicture(Session& session, Preview& preview, QObject* parent);

  void set_before(bool on);  // as shot
  bool before() const { return before_; }
  void set_finish_at_rest(bool on);
  void moved();  // something did: the live picture until it rests

  // Takes the best picture that is there of what is looked at, and asks for a better one: to be
  // called before it is drawn. The last one stays until another is there.
  void choose();
  const Picture& picture() const { return picture_; }
  bool at_rest() const { return finished_; }  // it is the finished one
  bool is_as_asked() const;                   // the live one has the present settings
  QString problem() const;                    // why there is none; empty: there is, or will be
  bool file_cannot_be_read() const;           // the live one stands, no finished one can be made
  // What the sensor saw of the frame that is looked at; nullptr: not read yet.
  std::shared_ptr<const Histogram> sensor_tones() const;

 signals:
  void to_draw();          // anything that is drawn may be another
  void picture_changed();  // another one is on screen
  void rested();           // the finished one is

 private:
  Rendering live_kind() const { return before_ ? Rendering::as_shot : Rendering::live; }
  bool may_finish() const;

  Session& session_;
  Preview& preview_;
  bool before_ = false, finishes_ = true;
  Picture picture_;
  bool finished_ = false;
  QTimer rest_;
  // What could not be shown, or (unfinished_) be finished from its file; asked for again while it
  // stands there, since the file may be back.
  QString failure_;
  int failed_frame_ = -1, unfinished_ = -1;
  QTimer retry_;
};

}  // namespace tsukimi::app
