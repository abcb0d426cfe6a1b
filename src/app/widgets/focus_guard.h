// SPDX-License-Identifier: GPL-3.0-or-later
// Whose key and whose wheel it is.
#pragma once

#include <QObject>

namespace tsukimi::app {

// Watches all events of the application. A switch, a list or a box that has the focus gets the keys
// that it is worked with (Space, arrows, Home, End), before the window's shortcuts. A box of
// numbers or choices takes the wheel only when it has the focus: scrolling past it changes nothing.
class FocusGuard : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

 protected:
  bool eventFilter(QObject* object, QEvent* event) override;
};

}  // namespace tsukimi::app
