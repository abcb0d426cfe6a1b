// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QSplitter>
#include <QStyle>
#include <QTimer>

#include "app/bars/queue_bar.h"
#include "app/bars/restored_bar.h"
#include "app/convert/path_text.h"
#include "app/dialogs/bring_in_dialog.h"
#include "app/dialogs/open_dialog.h"
#include "app/dialogs/preferences_dialog.h"
#include "app/dialogs/questions.h"
#include "app/widgets/focus_guard.h"
#include "app/widgets/style.h"

namespace tsukimi::app {
namespace fs = std::filesystem;

MainWindow::MainWindow() : preview_(session_) {
  setWindowTitle("Tsukimi");
  setAcceptDrops(true);
  fit_screen();
  menus_ = new QMenuBar;
  facts_ = new FactsBar(session_);
  rail_ = new Rail;
  picture_ = new PictureView(session_, preview_);
  transport_ = new Transport(session_, preview_, *picture_);
  timeline_ = new Timeline(session_, preview_);
  stack_ = new QStackedWidget;
  make_drawers();
  make_panels();
  lay_out();
  build_menus();
  follow_start_page();
  follow_session();
  ask_the_user();
  qApp->installEventFilter(new FocusGuard(this));
  open_drawer(DrawerId::look);
  picture_->setFocus();
  QSettings settings;
  follow(Preferences::read());
  show_state();
  restoreGeometry(settings.value("window/geometry").toByteArray());
  splitter_->restoreState(settings.value("window/splitter").toByteArray());
}

void MainWindow::make_drawers() {
  look_ = new LookDrawer(session_, preview_, *picture_);
  export_ = new ExportDrawer(session_);
  // In the order of DrawerId.
  drawers_ = {new SequenceDrawer(session_),
              new StackDrawer(session_),
              look_,
              new StepsDrawer(session_),
              new FlickerDrawer(session_),
              new PlacesDrawer(session_),
              new RepairsDrawer(session_),
              new FramingDrawer(session_),
              new PaceDrawer(session_),
              export_};
  for (const auto& [id, icon] : kDrawerIcons) {
    rail_->add(drawer(id).title(), QString(":/icons/%1.svg").arg(icon));
    stack_->addWidget(&drawer(id));
  }
  connect(rail_, &Rail::chosen, this, [this](int i) { open_drawer(static_cast<DrawerId>(i)); });
  connect(export_, &ExportDrawer::queue_wanted, this, &MainWindow::show_queue);
  connect(look_, &LookDrawer::panel_wanted, this, &MainWindow::open_panel);
}

// What opens in a drawer's place, and gives it back when it is done.
void MainWindow::make_panels() {
  look_panels_ = {new ProposePanel(session_), new CarryPanel(session_, preview_),
                  new LooksPanel(session_)};
  for (Panel* panel : look_panels_)
    connect(panel, &Panel::done, this, [this] {
      open_drawer(DrawerId::look);
      picture_->setFocus();  // and not whatever comes next
    });
  history_ = new HistoryPanel(session_);
  saved_exports_ = new ExportsPanel(session_);
  queue_ = new QueuePanel(session_);
  for (Panel* panel : std::initializer_list<Panel*>{history_, saved_exports_, queue_})
    connect(panel, &Panel::done, this,
            [this] { open_drawer(static_cast<DrawerId>(rail_->current())); });
  for (Panel* panel : look_panels_) stack_->addWidget(panel);
  for (Panel* panel : std::initializer_list<Panel*>{history_, saved_exports_, queue_})
    stack_->addWidget(panel);
  connect(export_, &ExportDrawer::saved_wanted, this,
          [this] { stack_->setCurrentWidget(saved_exports_); });
  connect(saved_exports_, &Panel::done, export_, &ExportDrawer::show_made);
  connect(facts_, &FactsBar::queue_wanted, this, &MainWindow::show_queue);
}

// The picture with all that stands over and under it.
QWidget* MainWindow::picture_column() {
  auto* out = new QWidget;
  auto* column = new QVBoxLayout(out);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  sheet_ = new ContactSheet(session_, preview_);
  sheet_->hide();
  restored_ = new RestoredBar(session_);
  column->addWidget(restored_);
  auto* pictures = new QSplitter(Qt::Horizontal);
  pictures->setHandleWidth(1);
  pictures->addWidget(sheet_);
  pictures->addWidget(picture_);
  pictures->setChildrenCollapsible(false);
  pictures->setSizes({500, 436});
  connect(transport_->sheet_button, &QToolButton::toggled, sheet_, &QWidget::setVisible);
  column->addWidget(pictures, 1);
  column->addWidget(transport_);
  column->addWidget(timeline_);
  thin_time_ = new ThinTime(session_);
  thin_time_->hide();
  column->addWidget(thin_time_);
  return out;
}

// Menus and facts share a line: the rest is the picture's.
QWidget* MainWindow::top_lines() {
  auto* top = new QWidget;
  top->setObjectName("top");
  auto* line = new QHBoxLayout(top);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(0);
  line->addWidget(menus_);
  line->addWidget(facts_, 1);
  auto* out = new QWidget;
  auto* lines = new QVBoxLayout(out);
  lines->setContentsMargins(0, 0, 0, 0);
  lines->setSpacing(0);
  lines->addWidget(top);
  lines->addWidget(new QueueBar(exports_));
  return out;
}

void MainWindow::lay_out() {
  splitter_ = new QSplitter(Qt::Horizontal);
  splitter_->setObjectName("splitter");
  splitter_->setHandleWidth(1);
  splitter_->addWidget(stack_);
  splitter_->addWidget(picture_column());
  splitter_->setStretchFactor(1, 1);
  splitter_->setSizes({text_px(282), 1218 - text_px(282)});
  splitter_->setChildrenCollapsible(false);
  body_ = new QWidget;
  auto* row = new QHBoxLayout(body_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  row->addWidget(rail_);
  row->addWidget(splitter_, 1);
  start_ = new StartPage(tasks_, recent_);
  centre_ = new QStackedWidget;
  centre_->addWidget(start_);
  centre_->addWidget(body_);
  setCentralWidget(centre_);
  setMenuWidget(top_lines());
}

void MainWindow::follow_start_page() {
  connect(start_, &StartPage::open_folder, this, &MainWindow::ask_open_folder);
  connect(start_, &StartPage::bring_in, this, [this] { bring_in(); });
  connect(start_, &StartPage::open, this, &MainWindow::open);
  connect(&session_.opener, &Opener::opening_changed, this, &MainWindow::show_state);
  connect(&session_.opener, &Opener::sequences_found, this, &MainWindow::offer_sequences);
}

void MainWindow::follow_session() {
  connect(&session_.notices, &Notices::message, facts_, &FactsBar::show_message);
  connect(&session_.notices, &Notices::problem, this, [this](const QString& text) {
    auto* box = new QMessageBox(QMessageBox::NoIcon, "Tsukimi", text, QMessageBox::Ok, this);
    box->setObjectName("problem");
    box->setTextFormat(Qt::PlainText);  // a file may be called <b>
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->open();
  });
  connect(&session_.document, &Document::opened, this, [this] {
    setWindowTitle(session_.document.name() + tr(" · Tsukimi"));
    QStringList notes;
    for (const auto& n : session_.document.shoot().sequence.notes)
      notes << QString::fromStdString(n);
    facts_->show_message(notes.join("  "));
    remember_recent();
    show_state();
    // What was found to be brackets is said where it can be put right.
    if (shown_shoot_ != session_.document.shoot_serial() && session_.document.file().empty() &&
        session_.stack.has_brackets())
      open_drawer(DrawerId::stack);
    shown_shoot_ = session_.document.shoot_serial();
    show_hints();
  });
  connect(&picture_->shown(), &ShownPicture::rested, this, [this] {
    if (pictured_ != session_.document.path()) remember_picture();
  });
  connect(&session_.document, &Document::saved, this, [this] {
    setWindowTitle(session_.document.name() + tr(" · Tsukimi"));
    remember_recent();
  });
  connect(&session_.document, &Document::changed_elsewhere, this,
          &MainWindow::save_changed_elsewhere);
  session_.on_change(this, [this] { refresh_attention(); });
}

void MainWindow::ask_the_user() {
  may_drop_changes = [this] {
    const Unsaved answer = ask_what_becomes_of_changes(this, session_.document.name());
    return answer == Unsaved::drop || (answer == Unsaved::save && save_and_wait());
  };
  how_to_save = [this](const QString& file) { return ask_which_changes_stay(this, file); };
  may_make_folder = [this](const QString& folder) { return ask_to_make_folder(this, folder); };
  how_to_leave_exports = [this] { return ask_what_becomes_of_exports(this); };
}

MainWindow::~MainWindow() {
  session_.tasks.cancel_all();
  delete takeCentralWidget();  // while what it shows is still there
}

// As large as is usual, or as the screen is inside of the window's frame. How wide that is is known
// once the window is shown.
void MainWindow::fit_screen() {
  const QSize frame = frameGeometry().size() - size();
  const QSize guess(0, style()->pixelMetric(QStyle::PM_TitleBarHeight));
  const QSize room = screen()->availableSize() - (frame.height() > 0 ? frame : guess);
  fitted_ = QSize(1280, 800).boundedTo(room);
  resize(fitted_);
  if (isVisible()) move(screen()->availableGeometry().topLeft() + QPoint(frame.width() / 2, 0));
}

void MainWindow::showEvent(QShowEvent* e) {
  QMainWindow::showEvent(e);
  QTimer::singleShot(0, this, [this] {
    const QSize room = screen()->availableSize(), now = frameGeometry().size();
    if (size() == fitted_ && now.boundedTo(room) != now) fit_screen();
  });
}

// Nothing open: the start page. Something is being opened: its first picture, if there is one, and
// nothing that could be turned without effect.
void MainWindow::show_state() {
  const bool open = session_.document.is_open();
  centre_->setCurrentWidget(open || session_.opener.opening() ? body_
                                                              : static_cast<QWidget*>(start_));
  for (QWidget* w : std::initializer_list<QWidget*>{rail_, stack_, transport_, timeline_})
    w->setVisible(open && !whole_screen_);
}

void MainWindow::set_whole_screen(bool on) {
  if (on == whole_screen_ || (on && !session_.document.is_open())) return;
  whole_screen_ = on;
  if (on) before_whole_ = windowState();
  menuWidget()->setVisible(!on);
  sheet_->setVisible(!on && transport_->sheet_button->isChecked());
  thin_time_->setVisible(on);
  restored_->set_covered(on);
  if (hints_) hints_->setVisible(!on);
  picture_->set_bare(on);
  show_state();
  setWindowState(on ? windowState() | Qt::WindowFullScreen : before_whole_);
  picture_->setFocus();
  if (on != transport_->playing()) transport_->toggle_play();
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_B && !e->modifiers()) {
    if (!e->isAutoRepeat()) picture_->shown().set_before(true);
  } else if (e->key() == Qt::Key_Escape && whole_screen_) {
    set_whole_screen(false);
  } else {
    QMainWindow::keyPressEvent(e);
  }
}

void MainWindow::keyReleaseEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_B && !e->isAutoRepeat())
    picture_->shown().set_before(false);
  else
    QMainWindow::keyReleaseEvent(e);
}

// Who goes elsewhere with B held lets go of it there.
void MainWindow::changeEvent(QEvent* e) {
  if (e->type() == QEvent::ActivationChange && !isActiveWindow())
    picture_->shown().set_before(false);
  QMainWindow::changeEvent(e);
}

// What is being written is on the disk before anybody asks whether it is saved.
void MainWindow::finish_saving() {
  while (session_.document.saving())
    QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents |
                                    QEventLoop::ExcludeUserInputEvents);
}

void MainWindow::open(const fs::path& path) {
  finish_saving();
  if (session_.document.has_unsaved() && !may_drop_changes()) return;
  session_.opener.open(path);
}

Drawer& MainWindow::drawer(DrawerId id) { return *drawers_[static_cast<std::size_t>(id)]; }

void MainWindow::open_drawer(DrawerId id) {
  rail_->set_current(static_cast<int>(id));
  stack_->setCurrentWidget(&drawer(id));
  picture_->set_tool(drawer(id).tool());
  if (hints_ && id != DrawerId::look) hints_->done_once();
}

void MainWindow::open_panel(LookDrawer::Panel panel) {
  if (!session_.document.is_open()) return;
  open_drawer(DrawerId::look);
  stack_->setCurrentWidget(look_panels_[panel]);
  if (hints_) hints_->done_once();  // what the first one points at is covered
}

void MainWindow::show_queue() { stack_->setCurrentWidget(queue_); }

void MainWindow::refresh_attention() {
  if (!session_.document.is_open()) return;
  const auto& s = session_.document.shoot();
  const auto& light = session_.light.plan();
  auto attend = [&](DrawerId id, bool on) { rail_->set_attention(static_cast<int>(id), on); };
  attend(DrawerId::sequence, session_.checking.open_suspects() > 0);
  attend(DrawerId::stack,
         session_.stack.has_brackets() && !session_.stack.report().irregular.empty());
  attend(DrawerId::steps,
         session_.light.known() && !s.decisions.level.on && !light.level.steps.empty());
  attend(DrawerId::flicker, session_.light.known() && !s.decisions.deflicker.on &&
                                light.deflicker.before_percent > 0.5);
}

void MainWindow::offer_sequences(std::shared_ptr<const FolderScan> scan) {
  const double fps =
      session_.document.is_open() ? session_.document.decisions().fps : Decisions{}.fps;
  auto* dialog = new OpenDialog(scan, fps, this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &OpenDialog::open_frames, this,
          [this](auto chosen, const auto& frames) { session_.opener.open_part(chosen, frames); });
  connect(dialog, &OpenDialog::other_pairs, this,
          [this, folder = scan->folder](Pairs pairs) { session_.opener.open(folder, pairs); });
  connect(dialog, &QDialog::rejected, &session_.opener, &Opener::give_up);
  dialog->open();
}

BringInDialog* MainWindow::bring_in(const fs::path& card) {
  auto* dialog = new BringInDialog(
      session_.document.is_open() ? session_.document.decisions().fps : Decisions{}.fps, this);
  connect(dialog, &BringInDialog::brought, this, [this, dialog](const fs::path& folder) {
    dialog->close();
    open(folder);
  });
  if (!card.empty()) dialog->read(card);
  dialog->open();
  return dialog;
}

void MainWindow::ask_open_folder() {
  const QUrl dir = QFileDialog::getExistingDirectoryUrl(this, tr("Open a folder of frames"));
  if (!dir.isEmpty()) open(path_of(dir));
}

void MainWindow::ask_open_shoot() {
  const QUrl file =
      QFileDialog::getOpenFileUrl(this, tr("Open a shoot"), {}, tr("Shoots (*.tsukimi)"));
  if (!file.isEmpty()) open(path_of(file));
}

bool MainWindow::save(bool ask_name, std::function<void(bool)> then) {
  if (!session_.document.is_open()) return false;
  fs::path file = session_.document.file();
  if (file.empty() || ask_name) {
    const fs::path beside = session_.document.shoot().sequence.folder.string() + ".tsukimi";
    const QUrl chosen = QFileDialog::getSaveFileUrl(this, tr("Save the shoot"), url_of(beside),
                                                    tr("Shoots (*.tsukimi)"));
    if (chosen.isEmpty()) return false;
    file = path_of(chosen);
    if (file.extension() != ".tsukimi") file += ".tsukimi";
  }
  std::error_code ec;
  if (const fs::path folder = file.parent_path(); !fs::exists(folder, ec)) {
    if (!may_make_folder(shown_path(folder))) return false;
    fs::create_directories(folder, ec);
  }
  // Who chose a name was asked whether it may be replaced.
  const bool own = file == session_.document.file();
  session_.document.save(file, std::move(then), own ? Replace::what_was_read : Replace::any);
  return true;
}

void MainWindow::save_changed_elsewhere(const QString& shown) {
  const fs::path file = session_.document.file();
  const KeptChanges how = how_to_save(shown);
  if (how == KeptChanges::mine) session_.document.save(file, {}, Replace::any);
  if (how == KeptChanges::theirs) session_.opener.open_as_saved(file);
  if (how != KeptChanges::beside) return;
  fs::path beside = file;
  std::error_code ec;
  for (int k = 2; fs::exists(fs::symlink_status(beside, ec)); ++k)
    beside.replace_filename(file.stem().string() + "-" + std::to_string(k) + ".tsukimi");
  session_.document.save(beside);
}

// For who closes: the window lives on until it is on the disk.
bool MainWindow::save_and_wait() {
  QEventLoop loop;
  bool done = false;
  if (!save(false, [&](bool saved) {
        done = saved;
        loop.quit();
      }))
    return false;
  loop.exec(QEventLoop::ExcludeUserInputEvents);
  return done && !session_.document.has_unsaved();
}

void MainWindow::remember_recent() {
  const Sequence& s = session_.document.shoot().sequence;
  const double time = s.frames.front().time;
  recent_.remember(
      {session_.document.path(),
       session_.document.name(),
       session_.document.shoot().frame_count(),
       time > 0 ? QDateTime::fromSecsSinceEpoch(static_cast<qint64>(time), QTimeZone::utc()).date()
                : QDate(),
       {},
       false});
}

void MainWindow::remember_picture() {
  pictured_ = session_.document.path();
  recent_.set_picture(pictured_, picture_->shown().picture().image);
}

void MainWindow::fill_recent(QMenu* menu) {
  menu->clear();
  for (const RecentShoot& shoot : recent_.list())
    connect(menu->addAction(shown_path(shoot.path).replace("&", "&&")), &QAction::triggered, this,
            [this, path = shoot.path] { open(path); });
  if (menu->isEmpty()) menu->addAction(tr("none yet"))->setEnabled(false);
}

void MainWindow::follow(const Preferences& p) {
  p.apply();
  picture_->shown().set_finish_at_rest(p.finish_at_rest);
  const int grey = static_cast<int>(std::lround(2.55 * p.surround));
  picture_->set_surround(p == Preferences{} || p.surround == Preferences{}.surround
                             ? colour::ground
                             : QColor(grey, grey, grey));
  preview_.set_memory(p.pictures_mb > 0 ? static_cast<qint64>(p.pictures_mb) << 20
                                        : Preview::memory_by_what_is_free());
}

void MainWindow::show_preferences() {
  auto* dialog = new PreferencesDialog(Preferences::read(), this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &PreferencesDialog::changed, this, &MainWindow::follow);
  dialog->open();
}

void MainWindow::show_hints() {
  // They point at the Look drawer's rulers.
  if (QSettings().value("hints/seen").toBool() || hints_ ||
      rail_->current() != static_cast<int>(DrawerId::look))
    return;
  auto in_window = [this](QWidget* of, const QRect& r) {
    return QRect(of->mapTo(this, r.topLeft()), r.size());
  };
  hints_ = new Hints(
      {{[=, this] {
          auto* ruler = findChild<Ruler*>(info(Param::exposure).name);
          return in_window(ruler, ruler->rect());
        },
        tr("Drag a ruler: the picture follows, and a key frame remembers it. Below it runs the "
           "same "
           "value over the whole sequence.")},
       {[=, this] { return in_window(timeline_, timeline_->key_frames().toRect()); },
        tr("Key frames are moons. Values run from one to the next; drag one to another moment, or "
           "let "
           "places be proposed (Ctrl+K).")},
       {[=, this] {
          return in_window(rail_, rail_->entry_rect(static_cast<int>(drawers_.size()) - 1));
        },
        tr("From above to below is the order of the work. Here the film's frames are written; "
           "originals are only ever read.")}},
      this);
  // Who has done what a hint is about needs it no more.
  connect(&session_.document.undo(), &QUndoStack::indexChanged, hints_, &Hints::done_once);
  connect(hints_, &Hints::over, this, [this] {
    QSettings().setValue("hints/seen", true);
    hints_->deleteLater();
  });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls() && e->mimeData()->urls().size() == 1 &&
      e->mimeData()->urls().first().isLocalFile())
    e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  open(path_of(e->mimeData()->urls().first()));
  e->acceptProposedAction();
}

void MainWindow::finish_queue_changes() {
  while (exports_.changing())
    QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents |
                                    QEventLoop::ExcludeUserInputEvents);
}

void MainWindow::closeEvent(QCloseEvent* e) {
  finish_saving();
  finish_queue_changes();
  exports_.look();
  Leaving how = Leaving::go_on;
  if (exports_.running()) how = how_to_leave_exports();
  if (how == Leaving::stay) return e->ignore();
  if (session_.document.has_unsaved() && !may_drop_changes()) return e->ignore();
  QSettings settings;
  if (session_.document.is_open()) remember_picture();
  settings.setValue("window/geometry", saveGeometry());
  settings.setValue("window/splitter", findChild<QSplitter*>("splitter")->saveState());
  if (how == Leaving::pause) exports_.pause_all();
  if (how == Leaving::cancel) exports_.cancel_all();
  finish_queue_changes();
  session_.tasks.cancel_all();
  e->accept();
}

}  // namespace tsukimi::app
