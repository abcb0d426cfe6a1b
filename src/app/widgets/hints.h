// SPDX-License-Identifier: GPL-3.0-or-later
// The first time that something is open: three short hints that point at the parts they speak of.
#pragma once

#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <QWidget>
#include <functional>
#include <vector>

namespace tsukimi::app {

struct Hint {
  std::function<QRect()> at;  // in the window
  QString words;
};

class Hints : public QWidget {
  Q_OBJECT
 public:
  Hints(std::vector<Hint> hints, QWidget* window);
  void done_once();  // what the first one speaks of was done: the next one

 signals:
  void over();  // all seen, or closed

 protected:
  void paintEvent(QPaintEvent*) override;
  bool eventFilter(QObject* of, QEvent* e) override;

 private:
  void show_hint(int i);
  void place();
  std::vector<Hint> hints_;
  int shown_ = 0;
  QPointF tip_;  // of the bubble, in it
  QLabel *words_, *count_;
  QPushButton *next_, *close_;
};

}  // namespace tsukimi::app
