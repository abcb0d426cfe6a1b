// Below the picture: play, where we are, in and out, frame rate, fit or 100 %, before and after.
#pragma once

#include <QComboBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "app/picture/picture_view.h"

namespace tsukimi::app {

class Transport : public QWidget {
  Q_OBJECT
 public:
  Transport(Session& session, Preview& preview, PictureView& picture, QWidget* parent = nullptr);
  void toggle_play();
  bool playing() const { return timer_.isActive(); }
  double measured_fps() const { return measured_; }
  void set_in();
  void set_out();
  QToolButton *sheet_button, *neighbours_button, *seam_button, *full_button;

 private:
  void show_place();
  void tick();
  std::vector<int> next_frames(
      int count) const;  // of the film, round from its end to its beginning

  Session& session_;
  Preview& preview_;
  QToolButton* play_;
  QLabel *place_, *range_, *rate_;
  QComboBox* fps_;
  QTimer timer_;
  QElapsedTimer clock_, window_;
  int shown_ = 0;  // frames shown in the window of measurement
  double measured_ = 0, due_ = 0;
  std::vector<int> ahead_;  // the frames after `ahead_from_`, asked for already
  int ahead_from_ = -1;
  quint64 ahead_version_ = 0;
};

}  // namespace tsukimi::app
