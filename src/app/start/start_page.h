// SPDX-License-Identifier: GPL-3.0-or-later
// What is seen before something is open: ways to begin, and the shoots that were open last.
#pragma once

#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>
#include <QWidget>

#include "app/start/recent_list.h"
#include "sim/demo.h"

namespace tsukimi::app {

class StartPage : public QWidget {
  Q_OBJECT
 public:
  StartPage(TaskList& tasks, Recent& recent, QWidget* parent = nullptr);

 signals:
  void open_folder();
  void bring_in();
  void open(const std::filesystem::path& path);

 protected:
  void showEvent(QShowEvent*) override { recent_.look(); }

 private:
  void make_demo(sim::Demo demo);
  void show_making();

  TaskList& tasks_;
  Recent& recent_;
  QPushButton* demos_[3];  // harbour, night, dawn
  sim::Demo made_ = {};    // the one that is being made
  QProgressBar* bar_;
  QLabel* words_;
  TaskPtr making_;
  QTimer poll_;
};

}  // namespace tsukimi::app
