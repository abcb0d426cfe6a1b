// SPDX-License-Identifier: GPL-3.0-or-later
// Whole screen: all that is seen of time is a line at the lower edge. A click or drag goes there.
#pragma once

#include <QWidget>

#include "app/state/session.h"

namespace tsukimi::app {

class ThinTime : public QWidget {
  Q_OBJECT
 public:
  explicit ThinTime(Session& session, QWidget* parent = nullptr);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;

 private:
  void go(double x);
  Session& session_;
};

}  // namespace tsukimi::app
