// SPDX-License-Identifier: GPL-3.0-or-later
// Time: one playhead through the lanes of light, camera, key frames and film (a lane a file), and
// an overview below them. Wheel zooms, drag selects a range, double click shows all. A step of the
// playhead paints the lanes' kept picture.
#pragma once

#include <QPixmap>
#include <QTimer>
#include <QToolButton>
#include <QWidget>
#include <optional>

#include "app/picture/preview.h"
#include "app/timeline/overview.h"

namespace tsukimi::app {

class Timeline : public QWidget {
  Q_OBJECT
 public:
  Timeline(Session& session, Preview& preview, QWidget* parent = nullptr);
  QSize sizeHint() const override;
  double x_of(double frame) const;
  int frame_at(double x) const;
  std::optional<std::pair<int, int>> selection() const;  // first and last selected frame
  QRectF key_frames() const;                             // their lane
  QToolButton* tones_button;                             // tones over time behind the light

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  bool event(QEvent*) override;

 private:
  void show_movement(bool on);
  int count() const { return static_cast<int>(lanes_.size()); }
  QRectF lane(int i) const;  // from the top
  QRectF all_lanes() const;
  Lane* lane_at(QPointF at);  // nullptr: none
  QRectF rect_of(const Lane* wanted) const;
  QRectF strip() const;  // of the overview
  void show_frames(double first, double last);
  void show_all();
  TimeScale scale() const;
  const QPixmap& drawn();

  Session& session_;
  std::vector<std::unique_ptr<Lane>> lanes_;
  std::unique_ptr<Lane> spare_;  // of light and movement, which share a place, the other one
  bool shows_movement_ = false;
  // The lanes as they were painted last, and for what.
  struct Drawn {
    TimeScale scale;
    QSize pixels;
    QPixmap lanes;
  } drawn_;
  Overview overview_{session_};
  double first_ = 0, last_ = 1;  // visible frames
  QTimer pictures_;              // of key frames: asked for when nothing has moved for a moment
  Lane* pressed_ = nullptr;      // the one that took the press
  double press_x_ = -1;
  bool selecting_ = false, moving_view_ = false;
};

}  // namespace tsukimi::app
