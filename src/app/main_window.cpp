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
  drawers_ = {new SequenceDrawer(session_), new LookDrawer(session_, preview_, *picture_),
              new StepsDrawer(session_),    new FlickerDrawer(session_),
              new PlacesDrawer(session_),   new RepairsDrawer(session_),
              new FramingDrawer(session_),  new PaceDrawer(session_),
              new ExportDrawer(session_)};
  const char* const icons[] = {"sequence", "look",    "steps", "flicker", "places",
                               "repairs",  "framing", "pace",  "export"};
  for (std::size_t i = 0; i < drawers_.size(); ++i) {
    rail_->add(drawers_[i]->title(), QString(":/icons/%1.svg").arg(icons[i]));
    stack_->addWidget(drawers_[i]);
  }
  auto* look = static_cast<LookDrawer*>(drawers_[kLookDrawer]);
  panels_ = {new ProposePanel(session_), new CarryPanel(session_, preview_),
             new LooksPanel(session_)};
  for (Panel* panel : panels_) {
    stack_->addWidget(panel);
    connect(panel, &Panel::done, this, [this] {
      open_drawer(kLookDrawer);
      picture_->setFocus();  // and not whatever comes next
    });
  }
  history_ = new HistoryPanel(session_);
  stack_->addWidget(history_);
  saved_exports_ = new ExportsPanel(session_);
  queue_ = new QueuePanel(session_);
  for (Panel* panel : std::initializer_list<Panel*>{saved_exports_, queue_})
    stack_->addWidget(panel);
  for (Panel* panel : std::initializer_list<Panel*>{history_, saved_exports_, queue_})
    connect(panel, &Panel::done, this, [this] { open_drawer(rail_->current()); });
  auto* exports = static_cast<ExportDrawer*>(drawers_[kExportDrawer]);
  connect(exports, &ExportDrawer::saved_wanted, this,
          [this] { stack_->setCurrentWidget(saved_exports_); });
  connect(exports, &ExportDrawer::queue_wanted, this, &MainWindow::show_queue);
  connect(saved_exports_, &Panel::done, exports, &ExportDrawer::show_made);
  connect(facts_, &FactsBar::queue_wanted, this, &MainWindow::show_queue);
  connect(look, &LookDrawer::panel_wanted, this, &MainWindow::open_panel);

  auto* right = new QWidget;
  auto* column = new QVBoxLayout(right);
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
  auto* splitter = new QSplitter(Qt::Horizontal);
  splitter->setObjectName("splitter");
  splitter->setHandleWidth(1);
  splitter->addWidget(stack_);
  splitter->addWidget(right);
  splitter->setStretchFactor(1, 1);
  splitter->setSizes({text_px(282), 1218 - text_px(282)});
  splitter->setChildrenCollapsible(false);

  body_ = new QWidget;
  auto* row = new QHBoxLayout(body_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  row->addWidget(rail_);
  row->addWidget(splitter, 1);
  start_ = new StartPage(tasks_, recent_);
  centre_ = new QStackedWidget;
  centre_->addWidget(start_);
  centre_->addWidget(body_);
  setCentralWidget(centre_);
  // Menus and facts share a line: the rest is the picture's.
  auto* top = new QWidget;
  top->setObjectName("top");
  auto* line = new QHBoxLayout(top);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(0);
  line->addWidget(menus_);
  line->addWidget(facts_, 1);
  auto* above = new QWidget;
  auto* lines = new QVBoxLayout(above);
  lines->setContentsMargins(0, 0, 0, 0);
  lines->setSpacing(0);
  lines->addWidget(top);
  lines->addWidget(new QueueBar(exports_));
  setMenuWidget(above);
  build_menus();

  connect(rail_, &Rail::chosen, this, &MainWindow::open_drawer);
  connect(start_, &StartPage::open_folder, this, &MainWindow::ask_open_folder);
  connect(start_, &StartPage::bring_in, this, [this] { bring_in(); });
  connect(start_, &StartPage::open, this, &MainWindow::open);
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
    show_hints();
  });
  connect(&session_.opener, &Opener::opening_changed, this, &MainWindow::show_state);
  connect(picture_, &PictureView::rested, this, [this] {
    if (pictured_ != session_.document.path()) remember_picture();
  });
  connect(&session_.document, &Document::saved, this, [this] {
    setWindowTitle(session_.document.name() + tr(" · Tsukimi"));
    remember_recent();
  });
  session_.on_change(this, [this] { refresh_attention(); });
  connect(&session_.opener, &Opener::sequences_found, this, &MainWindow::offer_sequences);
  may_drop_changes = [this] {
    QMessageBox box(QMessageBox::NoIcon, "Tsukimi",
                    session_.document.name() + tr(" has changes that are not saved."),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    const int answer = box.exec();
    return answer == QMessageBox::Discard || (answer == QMessageBox::Save && save_and_wait());
  };
  connect(&session_.document, &Document::changed_elsewhere, this,
          &MainWindow::save_changed_elsewhere);
  how_to_save = [this](const QString& file) {
    QMessageBox box(
        QMessageBox::NoIcon, "Tsukimi",
        tr("%1 was changed elsewhere since it was opened here. Nothing was saved yet.").arg(file),
        QMessageBox::NoButton, this);
    const std::map<QAbstractButton*, Saving> answers{
        {box.addButton(tr("Save beside it"), QMessageBox::AcceptRole), Saving::beside},
        {box.addButton(tr("Keep mine"), QMessageBox::DestructiveRole), Saving::keep_mine},
        {box.addButton(tr("Take theirs"), QMessageBox::DestructiveRole), Saving::take_theirs}};
    box.addButton(QMessageBox::Cancel);
    box.exec();
    const auto answer = answers.find(box.clickedButton());
    return answer == answers.end() ? Saving::neither : answer->second;
  };
  may_make_folder = [this](const QString& folder) {
    QMessageBox box(QMessageBox::NoIcon, "Tsukimi", tr("The folder %1 is not there.").arg(folder),
                    QMessageBox::Cancel, this);
    const auto* make = box.addButton(tr("Make it"), QMessageBox::AcceptRole);
    box.exec();
    return box.clickedButton() == make;
  };
  how_to_leave_exports = [this] {
    QMessageBox box(QMessageBox::NoIcon, "Tsukimi",
                    tr("Exports are being made. They can go on without the window; what rests or "
                       "is cancelled keeps what is finished and goes on from there."),
                    QMessageBox::NoButton, this);
    const std::map<QAbstractButton*, Leaving> answers{
        {box.addButton(tr("Go on in the background"), QMessageBox::AcceptRole), Leaving::go_on},
        {box.addButton(tr("Pause"), QMessageBox::DestructiveRole), Leaving::pause},
        {box.addButton(tr("Cancel the exports"), QMessageBox::DestructiveRole), Leaving::cancel}};
    box.addButton(tr("Do not close"), QMessageBox::RejectRole);
    box.exec();
    const auto answer = answers.find(box.clickedButton());
    return answer == answers.end() ? Leaving::stay : answer->second;
  };
  qApp->installEventFilter(new FocusGuard(this));
  open_drawer(kLookDrawer);
  picture_->setFocus();
  QSettings settings;
  follow(Preferences::read());
  show_state();
  restoreGeometry(settings.value("window/geometry").toByteArray());
  splitter->restoreState(settings.value("window/splitter").toByteArray());
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
    if (!e->isAutoRepeat()) picture_->set_before(true);
  } else if (e->key() == Qt::Key_Escape && whole_screen_) {
    set_whole_screen(false);
  } else {
    QMainWindow::keyPressEvent(e);
  }
}

void MainWindow::keyReleaseEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_B && !e->isAutoRepeat())
    picture_->set_before(false);
  else
    QMainWindow::keyReleaseEvent(e);
}

// Who goes elsewhere with B held lets go of it there.
void MainWindow::changeEvent(QEvent* e) {
  if (e->type() == QEvent::ActivationChange && !isActiveWindow()) picture_->set_before(false);
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

void MainWindow::open_drawer(int index) {
  rail_->set_current(index);
  stack_->setCurrentWidget(drawers_[index]);
  picture_->set_tool(drawers_[index]->tool());
  if (hints_ && index != kLookDrawer) hints_->done_once();
}

void MainWindow::open_panel(LookDrawer::Panel panel) {
  if (!session_.document.is_open()) return;
  open_drawer(kLookDrawer);
  stack_->setCurrentWidget(panels_[panel]);
  if (hints_) hints_->done_once();  // what the first one points at is covered
}

void MainWindow::show_queue() { stack_->setCurrentWidget(queue_); }

void MainWindow::refresh_attention() {
  if (!session_.document.is_open()) return;
  const auto& s = session_.document.shoot();
  const auto& light = session_.light.plan();
  rail_->set_attention(0, session_.checking.open_suspects() > 0);
  rail_->set_attention(
      2, session_.light.known() && !s.decisions.level.on && !light.level.steps.empty());
  rail_->set_attention(3, session_.light.known() && !s.decisions.deflicker.on &&
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
  const Saving how = how_to_save(shown);
  if (how == Saving::keep_mine) session_.document.save(file, {}, Replace::any);
  if (how == Saving::take_theirs) session_.opener.open_as_saved(file);
  if (how != Saving::beside) return;
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
  recent_.set_picture(pictured_, picture_->shown());
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
  picture_->set_finish_at_rest(p.finish_at_rest);
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
  if (QSettings().value("hints/seen").toBool() || hints_) return;
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
