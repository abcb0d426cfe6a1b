// SPDX-License-Identifier: GPL-3.0-or-later
// Going from key frame to key frame, making and removing them: of what is in hand (KeyWork).
#pragma once

#include <QPushButton>

#include "app/state/session.h"

namespace tsukimi::app {

class KeyRow : public QWidget {
  Q_OBJECT
 public:
  // of: what the buttons' names end in.
  KeyRow(Session& session, const QString& of, const QString& tip, QWidget* parent = nullptr);
  // keeps_last: the last key frame cannot be removed.
  void refresh(bool keeps_last = false);

 private:
  Session& session_;
  QPushButton *previous_, *key_, *next_;
};

}  // namespace tsukimi::app
