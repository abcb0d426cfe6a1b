// SPDX-License-Identifier: GPL-3.0-or-later
// What is made of the film: numbered frames and films, and how their making ended.
#pragma once

#include <QPushButton>
#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/export_pages.h"

namespace tsukimi::app {

class ExportDrawer : public Drawer {
  Q_OBJECT
 public:
  ExportDrawer(Session& session, QWidget* parent = nullptr);
  void show_made();  // the page of what is made first

 signals:
  void queue_wanted();
  void saved_wanted();

 protected:
  void refresh() override;

 private:
  void add_end();
  void open_page(int page);  // 0: frames, else a film
  void add_film();
  void show_tabs(const Shoot& shoot);
  void show_summary(const Shoot& shoot);
  QString room_words(const Shoot& shoot, const ExportJob& job);
  void show_result();
  void look_for_room(const std::string& folder);
  void weigh_gifs(const Shoot& shoot, const ExportJob& job);
  void start(bool overwrite);
  std::string room_of_;         // the folder whose disk was asked
  std::optional<double> room_;  // bytes free there, if it is known
  quint64 weighed_ = 0;         // the version of all decisions for which GIFs were weighed
  double gif_bytes_ = -1;       // of all of them; below 0: not known
  TaskPtr weighing_;
  TaskPtr looking_;
  int page_ = 0;
  QHBoxLayout* tabs_row_;
  std::vector<QToolButton*> tabs_;
  QToolButton* another_;
  QStackedWidget* pages_;
  FramesPage* frames_;
  FilmPage* film_;
  QLabel *summary_, *result_;
  QPushButton *export_, *replace_, *fill_, *queue_;
};

}  // namespace tsukimi::app
