// SPDX-License-Identifier: GPL-3.0-or-later
// After a crash: unsaved work was found. Both versions can be seen, and one is kept.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include "app/state/session.h"

namespace tsukimi::app {

class RestoredBar : public QWidget {
  Q_OBJECT
 public:
  explicit RestoredBar(Session& session, QWidget* parent = nullptr);
  void set_covered(bool covered);  // nothing but the picture is wanted now

 private:
  void offer();
  void follow();  // the next thing that is decided decides this too
  void end();
  Session& session_;
  bool asking_ = false;
  QLabel* words_;
  QPushButton *restored_, *saved_, *keep_;
};

}  // namespace tsukimi::app
