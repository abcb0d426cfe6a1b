// SPDX-License-Identifier: GPL-3.0-or-later
// How fast a glide is seen to move, over the sequence.
#pragma once

#include <QWidget>
#include <vector>

namespace tsukimi::app {

class SpeedView : public QWidget {
 public:
  explicit SpeedView(QWidget* parent = nullptr);
  // Per cent of the picture's width in a second of the film, frame by frame.
  void set_speeds(std::vector<double> speeds);
  void set_playhead(int frame) { playhead_ = frame, update(); }
  QSize sizeHint() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  std::vector<double> speeds_;
  double most_ = 0;
  int playhead_ = 0;
};

}  // namespace tsukimi::app
