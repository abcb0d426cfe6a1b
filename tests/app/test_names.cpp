// SPDX-License-Identifier: GPL-3.0-or-later
// Names are bytes: a folder, a document, an export or a card whose name is no UTF-8, holds a line
// break or looks like an escape is opened and written under exactly that name.
#include <QMimeData>
#include <QProcess>
#include <set>

#include "app/convert/path_text.h"
#include "app/dialogs/bring_in_dialog.h"
#include "app/window_fixture.h"
#include "output/name_pattern.h"

namespace tsukimi::app {
namespace {

const std::string kOdd[] = {"qu\xE9\n& 100%", "50%25", "\xFF", "plain"};

class Names : public Window, public ::testing::WithParamInterface<int> {
 protected:
  const std::string odd = kOdd[GetParam()];
  fs::path folder;
  std::string frame;  // one of its files
  QString why;
  void SetUp() override {
    Window::SetUp();
    fs::create_directories(dir / odd);
    folder = dir / odd / odd;
    fs::create_directories(folder);
    const auto frames = scan_folder(harbour().folder)->frames;
    for (int i = 0; i < 4; ++i)
      fs::copy(harbour().folder / frames[i].file, folder / frames[i].file);
    frame = frames[2].file;
    QObject::connect(&session->notices, &Notices::problem,
                     [this](const QString& text) { why = text; });
  }
  void TearDown() override { EXPECT_TRUE(why.isEmpty()) << why.toStdString(); }
  std::set<std::string> beside() {
    std::set<std::string> out;
    for (const auto& e : fs::directory_iterator(dir / odd)) out.insert(e.path().filename());
    return out;
  }
  QMenu* recent() {
    auto* menu = w->menus().actions().first()->menu();
    for (auto* a : menu->actions())
      if (a->menu()) return a->menu();
    return nullptr;
  }
};

TEST_P(Names, AFolderIsOpenedWorkedOnAndComesBack) {
  open(folder);
  EXPECT_EQ(session->document.shoot().sequence.folder, folder);
  EXPECT_EQ(film_frames(session->document.shoot()).size(), 4u);
  session->look.set_value(Param::exposure, 1);
  QTest::qWait(1700);  // autosave
  ASSERT_TRUE(settled());
  w.reset();  // as after a crash
  w = std::make_unique<MainWindow>();
  w->may_drop_changes = [] { return true; };
  session = &w->session();
  w->show();
  emit recent()->aboutToShow();
  recent()->actions().first()->trigger();
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().sequence.folder, folder);
  EXPECT_EQ(session->document.decisions().look.keys.size(), 1u);
}

TEST_P(Names, AShootIsSavedAndOpenedUnderItsName) {
  open(folder);
  session->look.set_value(Param::exposure, 1);
  const fs::path file = dir / odd / (odd + ".tsukimi");
  save(file);
  EXPECT_EQ(beside(), (std::set{odd, odd + ".tsukimi"}));
  EXPECT_FALSE(session->document.has_unsaved());
  open(file);
  EXPECT_EQ(session->document.file(), file);
  EXPECT_EQ(session->document.decisions().look.keys.size(), 1u);
  session->look.set_value(Param::exposure, 2);
  key(Qt::Key_S, Qt::ControlModifier);
  ASSERT_TRUE(QTest::qWaitFor([&] { return !session->document.saving(); }, 10000));
  EXPECT_EQ(beside(), (std::set{odd, odd + ".tsukimi"}));
  EXPECT_EQ(open_shoot(file)->decisions.look.keys[0].values[Param::exposure], 2);
}

TEST_P(Names, TheExportFieldsKeepThem) {
  open(folder);
  const std::string pattern = odd == "plain" ? "p_##" : odd + "_##";
  session->document.edit("out", [&](Shoot& s) {
    s.decisions.output.folder = (dir / odd / ("o" + odd)).string();
    s.decisions.output.pattern = pattern;
  });
  w->open_drawer(DrawerId::exports);
  // Looked into, not changed.
  for (const char* name : {"folder", "pattern"}) {
    auto* field = find<QLineEdit>(name);
    field->setFocus();
    QTest::keyClick(field, Qt::Key_Return);
  }
  EXPECT_EQ(session->document.decisions().output.folder, (dir / odd / ("o" + odd)).string());
  // And typed in behind.
  auto* field = find<QLineEdit>("folder");
  field->setFocus();
  QTest::keyClick(field, Qt::Key_End);
  QTest::keyClicks(field, "2");
  click(find<QPushButton>("primary"));
  const QueuedJob job = exported();
  ASSERT_EQ(job.state, JobState::done) << job.problem;
  EXPECT_EQ(beside(), (std::set{odd, "o" + odd + "2"}));
  EXPECT_TRUE(fs::exists(dir / odd / ("o" + odd + "2") / numbered_name(pattern, 4).append(".jpg")));
}

TEST_P(Names, ADroppedFolderOrFrameOpens) {
  for (const fs::path& path : {folder, folder / frame}) {
    QMimeData data;
    data.setUrls({url_of(path)});
    QDragEnterEvent enter({400, 300}, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(w.get(), &enter);
    QDropEvent drop({400, 300}, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(w.get(), &drop);
    ASSERT_TRUE(settled());
    EXPECT_EQ(session->document.shoot().sequence.folder, folder);
  }
}

TEST_P(Names, ACardIsReadAndCopied) {
  fs::create_directories(dir / odd / "card" / "DCIM");
  fs::rename(folder, dir / odd / "card" / "DCIM" / odd);
  BringInDialog* dialog = w->bring_in(dir / odd / "card");
  auto* list = dialog->findChild<QListWidget*>("sequences");
  ASSERT_TRUE(QTest::qWaitFor([&] { return list->count() == 1; }, 10000));
  dialog->findChild<QLineEdit*>("to")->setText(text_of(dir / odd / "to" / odd));
  click(dialog->findChild<QPushButton*>("primary"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.is_open(); }, 20000));
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().sequence.folder, dir / odd / "to" / odd);
  EXPECT_EQ(session->document.shoot().frame_count(), 4);
}

// The program itself, started with such a path.
TEST_P(Names, ThePathOnTheCommandLineIsOpened) {
  auto environment = QProcessEnvironment::systemEnvironment();
  environment.insert("QT_QPA_PLATFORM", "offscreen");
  environment.insert("XDG_CONFIG_HOME", QString::fromStdString((dir / "config").string()));
  QProcess program;
  program.setProcessEnvironment(environment);
  // QProcess makes text of arguments; the shell keeps bytes.
  std::ofstream(dir / "start") << "exec '" << TSUKIMI_PROGRAM << "' '" << folder.string() << "'\n";
  program.start("sh", {QString::fromStdString((dir / "start").string())});
  const QString settings =
      QString::fromStdString((dir / "config" / "tsukimi" / "tsukimi.conf").string());
  auto recent = [&] {
    return QSettings(settings, QSettings::IniFormat).value("shoots/1/path").toString();
  };
  EXPECT_TRUE(QTest::qWaitFor([&] { return !recent().isEmpty(); }, 20000));
  program.kill();
  program.waitForFinished();
  EXPECT_EQ(path_of(recent()), folder);
}

// Where a dialog begins: a path that was typed may be relative.
TEST_P(Names, AUrlLeadsBack) {
  EXPECT_EQ(path_of(url_of(folder)), folder);
  EXPECT_EQ(path_of(url_of(odd)), fs::absolute(odd));
  EXPECT_TRUE(url_of({}).isEmpty());
}

INSTANTIATE_TEST_SUITE_P(Odd, Names, ::testing::Range(0, 4));

}  // namespace
}  // namespace tsukimi::app
