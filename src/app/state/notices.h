// SPDX-License-Identifier: GPL-3.0-or-later
// What is told to the user: the window shows it.
#pragma once

#include <QObject>

namespace tsukimi::app {

class Notices : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

 signals:
  void message(const QString& text);  // for the status line
  void problem(const QString& text);  // something failed; a whole sentence
};

}  // namespace tsukimi::app
