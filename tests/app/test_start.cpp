// SPDX-License-Identifier: GPL-3.0-or-later
// The window before something is open, and the shoots that were open last.
#include "app/dialogs/bring_in_dialog.h"
#include "document/values.h"
#include "sim/demo.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class Start : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    ASSERT_EQ(sim::demo_folder().parent_path().parent_path(), fs::path(getenv("XDG_CACHE_HOME")));
    std::error_code ec;
    fs::remove_all(sim::demo_folder(), ec);
  }
  void TearDown() override {
    std::error_code ec;
    fs::remove_all(sim::demo_folder(), ec);
  }
  void again() {  // the program is closed and begun anew
    w->close();
    w = std::make_unique<MainWindow>();
    w->may_drop_changes = [] { return true; };
    session = &w->session();
    w->resize(1280, 800);
    w->show();
  }
  RecentList& recent() { return *w->findChild<RecentList*>(); }
};

TEST_F(Start, NothingThatDoesNothingIsSeen) {
  EXPECT_TRUE(w->start_page().isVisible());
  for (QWidget* part :
       {static_cast<QWidget*>(&w->rail()), static_cast<QWidget*>(&w->timeline()),
        static_cast<QWidget*>(&w->transport()), w->findChild<QWidget*>("drawer_look")})
    EXPECT_FALSE(part->isVisible()) << part->objectName().toStdString();
  open();
  EXPECT_FALSE(w->start_page().isVisible());
  for (QWidget* part :
       {static_cast<QWidget*>(&w->rail()), static_cast<QWidget*>(&w->timeline()),
        static_cast<QWidget*>(&w->transport()), w->findChild<QWidget*>("drawer_look")})
    EXPECT_TRUE(part->isVisible()) << part->objectName().toStdString();
}

TEST_F(Start, WhileSomethingIsOpenedThereIsItsPictureAndNothingToTurn) {
  w->open(harbour().folder);
  EXPECT_FALSE(w->start_page().isVisible());
  EXPECT_TRUE(w->picture().isVisible());
  EXPECT_FALSE(w->timeline().isVisible());
  EXPECT_FALSE(w->rail().isVisible());
  ASSERT_TRUE(settled());
  EXPECT_TRUE(w->timeline().isVisible());
}

// What cannot be opened leaves the start page as it was.
TEST_F(Start, AFolderWithoutFramesLeadsBackToTheBeginning) {
  fs::create_directories(dir / "empty");
  w->open(dir / "empty");
  QMessageBox* box = nullptr;
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return (box = w->findChild<QMessageBox*>("problem")) != nullptr; }, 10000));
  box->close();
  EXPECT_TRUE(w->start_page().isVisible());
  EXPECT_FALSE(w->timeline().isVisible());
}

TEST_F(Start, TheDemoIsMadeAndTheMakingCanBeStopped) {
  auto* button = find<QPushButton>("start_demo");
  click(button);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        return w->start_page().findChild<QProgressBar*>()->isVisible() &&
               w->start_page().findChild<QProgressBar*>()->value() > 0;
      },
      30000));
  EXPECT_EQ(button->text(), "Stop making the demo");
  click(button);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tasks.idle(); }, 30000));
  EXPECT_EQ(button->text(), "Open the demo shoot");
  EXPECT_FALSE(fs::exists(sim::demo_folder() / "harbour")) << "half a shoot is none";
  EXPECT_FALSE(session->document.is_open());
  EXPECT_EQ(w->findChild<QMessageBox*>("problem"), nullptr) << "stopping is no failure";
}

TEST_F(Start, TheDemoThatIsThereIsOpened) {
  fs::create_directories(sim::demo_folder() / "card");
  fs::copy(harbour().folder, sim::demo_folder() / "harbour", fs::copy_options::recursive);
  auto shoot = start_shoot(*scan_folder(sim::demo_folder() / "harbour"));
  ASSERT_TRUE(shoot);
  add_key(*shoot, 7);
  ASSERT_TRUE(save_shoot(*shoot, sim::demo_shoot(sim::demo_folder())));
  click(find<QPushButton>("start_demo"));
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.file(), sim::demo_shoot(sim::demo_folder()));
  EXPECT_EQ(key_places(session->document.shoot()), std::vector<int>{7});
}

TEST_F(Start, RecentShootsStandThereWithTheirPictures) {
  const fs::path mine = dir / "evening";
  fs::copy(harbour().folder, mine, fs::copy_options::recursive);
  open(mine);
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 10000));
  again();
  const auto& list = w->recent().list();
  ASSERT_EQ(list.size(), 1u);
  ASSERT_TRUE(QTest::qWaitFor([&] { return !list[0].picture.isNull(); }, 5000));
  EXPECT_EQ(list[0].name, "evening");
  EXPECT_EQ(list[0].frames, 48);
  EXPECT_TRUE(list[0].shot.isValid());
  EXPECT_FALSE(list[0].missing);
  EXPECT_NEAR(list[0].picture.width() * 2.0 / list[0].picture.height(), 3, 0.1);
  click(&recent(), recent().place(0).center());
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().sequence.folder, mine);
}

TEST_F(Start, AShootThatIsNotThereSaysSo) {
  const fs::path mine = dir / "away";
  fs::copy(harbour().folder, mine, fs::copy_options::recursive);
  open(mine);
  again();
  QTest::qWait(200);
  const QImage there = recent().grab().toImage();
  w->hide();
  fs::remove_all(mine);
  w->show();
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->recent().list()[0].missing; }, 5000));
  EXPECT_NE(recent().grab().toImage(), there);
}

// The demo's card is offered; one click reads it.
TEST_F(Start, CardsAreFoundAndOffered) {
  fs::create_directories(sim::demo_folder());
  BringInDialog* dialog = w->bring_in();
  auto notes = [&] {
    for (auto* l : dialog->findChildren<QLabel*>("quiet"))
      if (l->text().contains("card", Qt::CaseInsensitive)) return l->text();
    return QString();
  };
  EXPECT_TRUE(QTest::qWaitFor([&] { return notes().contains("No card is mounted"); }, 5000))
      << notes().toStdString();
  EXPECT_EQ(dialog->findChild<QPushButton*>("card"), nullptr);
  ASSERT_TRUE(sim::simulate_card(sim::demo_card(sim::demo_folder()), 33, {120, 80}));
  QPushButton* card = nullptr;
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return (card = dialog->findChild<QPushButton*>("card")) != nullptr; }, 6000));
  QTest::mouseClick(card, Qt::LeftButton);
  auto* list = dialog->findChild<QListWidget*>("sequences");
  EXPECT_TRUE(QTest::qWaitFor([&] { return list->count() == 3; }, 10000));
  dialog->close();
}

}  // namespace
}  // namespace tsukimi::app
