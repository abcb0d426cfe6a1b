// SPDX-License-Identifier: GPL-3.0-or-later
// What is in the folder, and what is odd about it.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QListWidget>
#include <QPushButton>

#include "app/drawers/drawer.h"

namespace tsukimi::app {

class SequenceDrawer : public Drawer {
  Q_OBJECT
 public:
  SequenceDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  void refresh_facts();
  void refresh_suspects();
  void refresh_aside();
  void refresh_events();
  QLabel *facts_, *suspects_heading_, *aside_words_, *order_words_, *notes_;
  QListWidget *suspects_, *events_;
  QPushButton *previous_, *next_, *aside_, *keep_;
  QComboBox *policy_, *order_;
  QCheckBox* watch_;
};

}  // namespace tsukimi::app
