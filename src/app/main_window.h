// SPDX-License-Identifier: GPL-3.0-or-later
// The window: facts above, rail and drawer at the left, picture over time at the right.
#pragma once

#include <QMainWindow>
#include <QSplitter>
#include <QStackedWidget>
#include <array>

#include "app/bars/facts_bar.h"
#include "app/bars/restored_bar.h"
#include "app/bars/thin_time.h"
#include "app/bars/transport.h"
#include "app/dialogs/questions.h"
#include "app/drawers/drawer_id.h"
#include "app/drawers/export_drawer.h"
#include "app/drawers/flicker_drawer.h"
#include "app/drawers/framing_drawer.h"
#include "app/drawers/look_drawer.h"
#include "app/drawers/pace_drawer.h"
#include "app/drawers/panels.h"
#include "app/drawers/places_drawer.h"
#include "app/drawers/repairs_drawer.h"
#include "app/drawers/sequence_drawer.h"
#include "app/drawers/stack_drawer.h"
#include "app/drawers/steps_drawer.h"
#include "app/picture/contact_sheet.h"
#include "app/start/start_page.h"
#include "app/state/preferences.h"
#include "app/timeline/timeline.h"
#include "app/widgets/hints.h"
#include "app/widgets/rail.h"

namespace tsukimi::app {

class BringInDialog;

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  MainWindow();
  ~MainWindow() override;
  Session& session() { return session_; }
  Preview& preview() { return preview_; }
  PictureView& picture() { return *picture_; }
  Timeline& timeline() { return *timeline_; }
  Transport& transport() { return *transport_; }
  Rail& rail() { return *rail_; }
  ContactSheet& sheet() { return *sheet_; }
  StartPage& start_page() { return *start_; }
  Recent& recent() { return recent_; }
  QMenuBar& menus() { return *menus_; }
  QString message() const { return facts_->message(); }  // what is told in passing
  // The card dialog; with a card it is read at once.
  BringInDialog* bring_in(const std::filesystem::path& card = {});
  void open(const std::filesystem::path& path);
  void open_drawer(DrawerId id);
  void open_panel(LookDrawer::Panel panel);
  // Only the picture, playing, and a thin line of time; Escape returns.
  void set_whole_screen(bool on);
  bool whole_screen() const { return whole_screen_; }
  // Answers "may unsaved changes be dropped?"; tests and the screenshot program answer for the
  // user.
  std::function<bool()> may_drop_changes;
  std::function<Leaving()> how_to_leave_exports;  // asked when some are being made
  std::function<KeptChanges(const QString& file)> how_to_save;
  std::function<bool(const QString& folder)> may_make_folder;

 protected:
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;
  void showEvent(QShowEvent*) override;
  void closeEvent(QCloseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void keyReleaseEvent(QKeyEvent*) override;
  void changeEvent(QEvent*) override;

 private:
  void fit_screen();
  void make_drawers();
  void make_panels();
  void lay_out();
  QWidget* picture_column();
  QWidget* top_lines();
  void follow_start_page();
  void follow_session();
  void ask_the_user();
  Drawer& drawer(DrawerId id);
  void build_menus();  // menus.cpp
  void build_shoot_menu(QMenu* menu);
  void build_edit_menu(QMenu* menu);
  void build_frame_menu(QMenu* menu);
  void build_view_menu(QMenu* menu);
  void build_help_menu(QMenu* menu);
  void add(QMenu* menu, const QString& text, const QKeySequence& key,
           const std::function<void()>& run);
  void offer_sequences(std::shared_ptr<const FolderScan> scan);
  void ask_open_folder();
  void ask_open_shoot();
  // False: nothing is saved, no name was given.
  bool save(bool ask_name, std::function<void(bool)> then = {});
  bool save_and_wait();
  void finish_saving();
  void save_changed_elsewhere(const QString& file);
  void finish_queue_changes();
  void show_state();  // of nothing, of something that is being opened, of a shoot
  void remember_recent();
  void remember_picture();
  void fill_recent(QMenu* menu);
  void show_preferences();
  void follow(const Preferences& preferences);
  void show_hints();  // the first time that something is open
  void show_queue();
  void refresh_attention();

  TaskList tasks_;
  ExportQueue exports_{tasks_};
  Session session_{tasks_, exports_};
  Preview preview_;
  Recent recent_{tasks_};
  QMenuBar* menus_;
  FactsBar* facts_;
  StartPage* start_;
  QStackedWidget* centre_;  // the start page, or
  QWidget* body_;           // all else
  Rail* rail_;
  QPointer<Hints> hints_;
  QSplitter* splitter_;
  QStackedWidget* stack_;  // of drawers and panels
  std::array<Drawer*, count_of<DrawerId>()> drawers_;
  LookDrawer* look_;
  ExportDrawer* export_;
  std::vector<Panel*> look_panels_;  // in the order of LookDrawer::Panel
  HistoryPanel* history_;
  ExportsPanel* saved_exports_;
  QueuePanel* queue_;
  RestoredBar* restored_;
  PictureView* picture_;
  ContactSheet* sheet_;
  Transport* transport_;
  Timeline* timeline_;
  ThinTime* thin_time_;
  bool whole_screen_ = false;
  QSize fitted_;  // to the screen, if nobody has chosen another size
  Qt::WindowStates before_whole_;
  quint64 shown_shoot_ = 0;
  std::filesystem::path pictured_;  // the shoot whose picture is in the list of recent ones
};

}  // namespace tsukimi::app
