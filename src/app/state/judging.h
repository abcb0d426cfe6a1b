// SPDX-License-Identifier: GPL-3.0-or-later
// Judging flicker by eye: before and after beside each other in motion, and a lens that shows
// changes of light eight times as large, round the smooth course of each part of the picture.
//
// Lives in the window's thread.
#pragma once

#include "app/state/light_work.h"

namespace tsukimi::app {

class Judging : public QObject {
  Q_OBJECT
 public:
  Judging(Document& document, LightWork& light, TaskList& tasks);

  bool beside() const { return beside_; }
  void set_beside(bool on);
  bool lens() const { return lens_; }
  void set_lens(bool on);

  static constexpr double kTimes = 8;
  // How far every cell (CellLight) of a frame departs from its smooth course, stops: with what is
  // taken out of it, or before. nullptr: the lens is off, or it is not known yet.
  const float* departures(int frame, bool before) const;
  quint64 serial() const { return serial_; }  // grows with every change of what they are

 signals:
  void changed();

 private:
  void follow();
  void measure();

  Document& document_;
  LightWork& light_;
  TaskList& tasks_;
  struct Departures {
    std::vector<float> before, after;
  };
  std::shared_ptr<const Departures> known_;
  quint64 of_ = 0;  // the version of the plan that they are of
  TaskPtr measuring_;
  bool beside_ = false, lens_ = false;
  quint64 serial_ = 0;
};

}  // namespace tsukimi::app
