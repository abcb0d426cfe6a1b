// SPDX-License-Identifier: GPL-3.0-or-later
// F1: all commands with their keys, in two columns by menu; typing looks for one.
#pragma once

#include <QDialog>

class QMenuBar;

namespace tsukimi::app {

class ShortcutsDialog : public QDialog {
  Q_OBJECT
 public:
  ShortcutsDialog(const QMenuBar& menus, QWidget* parent);

 private:
  struct Row {
    QWidget* widget;
    QString words;  // what is looked through
  };
  struct Group {
    QWidget* widget;
    std::vector<Row> rows;
  };
  void look_for(const QString& text);
  std::vector<Group> groups_;
};

}  // namespace tsukimi::app
