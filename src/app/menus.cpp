// SPDX-License-Identifier: GPL-3.0-or-later
// The menus: every command of the window, with its key.
#include <QMenuBar>

#include "app/dialogs/shortcuts_dialog.h"
#include "app/main_window.h"

namespace tsukimi::app {

void MainWindow::add(QMenu* menu, const QString& text, const QKeySequence& key,
                     const std::function<void()>& run) {
  auto* action = menu->addAction(text);
  action->setShortcut(key);
  connect(action, &QAction::triggered, this, run);
  addAction(action);  // whole screen there is no menu, and its keys go on
}

void MainWindow::build_menus() {
  build_shoot_menu(menus_->addMenu(tr("&Shoot")));
  build_edit_menu(menus_->addMenu(tr("&Edit")));
  build_frame_menu(menus_->addMenu(tr("&Frame")));
  build_view_menu(menus_->addMenu(tr("&View")));
  build_help_menu(menus_->addMenu(tr("&Help")));
}

void MainWindow::build_shoot_menu(QMenu* shoot) {
  add(shoot, tr("&Open folder …"), QKeySequence::Open, [this] { ask_open_folder(); });
  add(shoot, tr("Open s&hoot …"), QKeySequence("Ctrl+Shift+O"), [this] { ask_open_shoot(); });
  add(shoot, tr("&Bring in …"), QKeySequence("Ctrl+I"), [this] { bring_in(); });
  auto* recent = shoot->addMenu(tr("&Recent"));
  connect(recent, &QMenu::aboutToShow, this, [this, recent] { fill_recent(recent); });
  shoot->addSeparator();
  add(shoot, tr("&Save"), QKeySequence::Save, [this] { save(false); });
  add(shoot, tr("Save &as …"), QKeySequence("Ctrl+Shift+S"), [this] { save(true); });
  shoot->addSeparator();
  add(shoot, tr("&Export"), QKeySequence("Ctrl+E"), [this] {
    open_drawer(DrawerId::exports);
    session_.exports.start(false);
  });
  add(shoot, tr("Export &queue"), QKeySequence("Ctrl+J"), [this] {
    if (session_.document.is_open()) show_queue();
  });
  shoot->addSeparator();
  add(shoot, tr("&Preferences …"), QKeySequence("Ctrl+,"), [this] { show_preferences(); });
  shoot->addSeparator();
  add(shoot, tr("&Quit"), QKeySequence::Quit, [this] { close(); });
}

void MainWindow::build_edit_menu(QMenu* edit) {
  auto* undo = session_.document.undo().createUndoAction(this, tr("&Undo"));
  undo->setShortcut(QKeySequence::Undo);
  auto* redo = session_.document.undo().createRedoAction(this, tr("&Redo"));
  redo->setShortcuts({QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")});
  edit->addActions({undo, redo});
  addActions({undo, redo});
  edit->addSeparator();
  add(edit, tr("&Copy look"), QKeySequence::Copy, [this] { session_.look.copy(); });
  add(edit, tr("&Paste look"), QKeySequence::Paste, [this] { session_.look.paste(); });
  add(edit, tr("C&arry …"), QKeySequence("Ctrl+Shift+V"),
      [this] { open_panel(LookDrawer::kCarry); });
  add(edit, tr("Saved &looks …"), QKeySequence("Ctrl+L"),
      [this] { open_panel(LookDrawer::kLooks); });
  edit->addSeparator();
  add(edit, tr("&History"), QKeySequence("Ctrl+H"), [this] {
    if (session_.document.is_open()) stack_->setCurrentWidget(history_);
  });
  add(edit, tr("&Start over"), {}, [this] { session_.document.start_over(); });
}

void MainWindow::build_frame_menu(QMenu* frame) {
  add(frame, tr("&Play or stop"), QKeySequence(Qt::Key_Space),
      [this] { transport_->toggle_play(); });
  add(frame, tr("&Next"), QKeySequence(Qt::Key_Right),
      [this] { session_.playhead.set_frame(session_.playhead.frame() + 1); });
  add(frame, tr("P&revious"), QKeySequence(Qt::Key_Left),
      [this] { session_.playhead.set_frame(session_.playhead.frame() - 1); });
  add(frame, tr("Ten on"), QKeySequence("Shift+Right"),
      [this] { session_.playhead.set_frame(session_.playhead.frame() + 10); });
  add(frame, tr("Ten back"), QKeySequence("Shift+Left"),
      [this] { session_.playhead.set_frame(session_.playhead.frame() - 10); });
  add(frame, tr("&First"), QKeySequence(Qt::Key_Home), [this] { session_.playhead.set_frame(0); });
  add(frame, tr("&Last"), QKeySequence(Qt::Key_End), [this] {
    if (session_.document.is_open())
      session_.playhead.set_frame(session_.document.shoot().frame_count() - 1);
  });
  frame->addSeparator();
  add(frame, tr("&Key frame here"), QKeySequence(Qt::Key_K), [this] { session_.keys.toggle(); });
  add(frame, tr("Key frame before"), QKeySequence(Qt::Key_PageUp),
      [this] { session_.keys.go(-1); });
  add(frame, tr("Key frame after"), QKeySequence(Qt::Key_PageDown),
      [this] { session_.keys.go(1); });
  add(frame, tr("Easing here: the next"), QKeySequence(Qt::Key_E),
      [this] { session_.keys.next_easing(); });
  add(frame, tr("Key frame one frame on"), QKeySequence("Ctrl+Right"),
      [this] { session_.keys.nudge(1); });
  add(frame, tr("Key frame one frame back"), QKeySequence("Ctrl+Left"),
      [this] { session_.keys.nudge(-1); });
  add(frame, tr("Propose key frames …"), QKeySequence("Ctrl+K"),
      [this] { open_panel(LookDrawer::kPropose); });
  frame->addSeparator();
  add(frame, tr("Next suspect"), QKeySequence(Qt::Key_J),
      [this] { session_.checking.go_to_suspect(1); });
  add(frame, tr("Suspect before"), QKeySequence("Shift+J"),
      [this] { session_.checking.go_to_suspect(-1); });
  add(frame, tr("Set aside or bring back"), QKeySequence(Qt::Key_A),
      [this] { session_.checking.toggle_set_aside(); });
  add(frame, tr("Keep: looked at, and good"), QKeySequence(Qt::Key_Y),
      [this] { session_.checking.keep(); });
  frame->addSeparator();
  add(frame, tr("Film begins here"), QKeySequence(Qt::Key_I), [this] { transport_->set_in(); });
  add(frame, tr("Film ends here"), QKeySequence(Qt::Key_O), [this] { transport_->set_out(); });
}

void MainWindow::build_view_menu(QMenu* view) {
  // Held, not switched: a key that is pressed and let go. Here it is for those without that key.
  auto* before = view->addAction(tr("&Before, while B is held"));
  connect(before, &QAction::triggered, this,
          [this] { picture_->shown().set_before(!picture_->shown().before()); });
  add(view, tr("&Seam"), QKeySequence(Qt::Key_S), [this] { transport_->seam_button->toggle(); });
  view->addMenu(transport_->compare_menu);
  add(view, tr("S&ide by side"), QKeySequence("Shift+S"),
      [this] { session_.judging.set_beside(!session_.judging.beside()); });
  add(view, tr("Changes of &light ×8"), QKeySequence("Shift+G"),
      [this] { session_.judging.set_lens(!session_.judging.lens()); });
  auto* clipping = view->addAction(tr("&Clipping"));
  clipping->setShortcut(QKeySequence(Qt::Key_X));
  clipping->setCheckable(true);
  addAction(clipping);
  connect(clipping, &QAction::toggled, picture_, &PictureView::set_clipping);
  add(view, tr("&Veil of a place"), QKeySequence(Qt::Key_V),
      [this] { session_.places.set_veil(!session_.places.veil()); });
  add(view, tr("&Tones over time"), QKeySequence(Qt::Key_G),
      [this] { timeline_->tones_button->toggle(); });
  add(view, tr("Contact s&heet"), QKeySequence(Qt::Key_T),
      [this] { transport_->sheet_button->toggle(); });
  add(view, tr("&Neighbours"), QKeySequence(Qt::Key_N),
      [this] { transport_->neighbours_button->toggle(); });
  add(view, tr("100 % or &fit"), QKeySequence(Qt::Key_Z), [this] { transport_->toggle_full(); });
  add(view, tr("&Whole screen"), QKeySequence(Qt::Key_F11),
      [this] { set_whole_screen(!whole_screen_); });
  view->addSeparator();
  for (const auto& [id, icon] : kDrawerIcons)
    add(view, drawer(id).title(), QKeySequence(QString("Alt+%1").arg(static_cast<int>(id) + 1)),
        [this, id = id] { open_drawer(id); });
}

void MainWindow::build_help_menu(QMenu* help) {
  add(help, tr("&Shortcuts"), QKeySequence(Qt::Key_F1), [this] {
    auto* dialog = new ShortcutsDialog(*menus_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
  });
}

}  // namespace tsukimi::app
