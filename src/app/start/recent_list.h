// SPDX-License-Identifier: GPL-3.0-or-later
// The shoots that were open last: picture, name, how many frames, when they were shot.
#pragma once

#include <QWidget>

#include "app/state/recent.h"

namespace tsukimi::app {

class RecentList : public QWidget {
  Q_OBJECT
 public:
  explicit RecentList(Recent& recent, QWidget* parent = nullptr);
  QRect place(int index) const;  // of an entry
  QSize sizeHint() const override;

 signals:
  void chosen(const std::filesystem::path& path);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void leaveEvent(QEvent*) override;
  bool event(QEvent*) override;

 private:
  int across() const;
  int entry_at(QPoint p) const;  // -1: none
  int count() const { return static_cast<int>(recent_.list().size()); }
  void paint_entry(QPainter& p, int index) const;
  void choose(int index);

  Recent& recent_;
  int hover_ = -1, current_ = 0;
};

}  // namespace tsukimi::app
