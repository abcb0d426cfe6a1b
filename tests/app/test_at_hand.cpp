// SPDX-License-Identifier: GPL-3.0-or-later
// Safe and at hand: history, what a crash left, saving in the background, shortcuts, hints,
// preferences; and playing.
#include <QComboBox>
#include <QUndoView>

#include "app/bars/restored_bar.h"
#include "app/dialogs/preferences_dialog.h"
#include "app/dialogs/shortcuts_dialog.h"
#include "document/values.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class AtHand : public Window {
 protected:
  void trigger(const char* text) {
    for (auto* action : w->actions())
      if (action->text().remove('&').startsWith(text)) return action->trigger();
    FAIL() << text;
  }
  double exposure() { return session->document.course().at(Param::exposure, 0); }
  // Ends as a crash does: without asking, and with what was kept.
  void crash() {
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
          const QDir kept(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) +
                          "/autosave");
          return !kept.entryList({"*.tsukimi"}, QDir::Files).isEmpty() && session->tasks.idle();
        },
        10000));
    w = std::make_unique<MainWindow>();
    w->resize(1280, 800);
    w->may_drop_changes = [] { return true; };
    session = &w->session();
    w->show();
  }
};

TEST_F(AtHand, TheHistoryNamesTheStepsAndAClickGoesThere) {
  open();
  session->look.set_value(Param::exposure, 1, "a");
  session->look.set_value(Param::shadows, 20, "b");
  session->look.set_value(Param::exposure, 2, "c");
  key(Qt::Key_H, Qt::ControlModifier);
  auto* steps = find<QUndoView>("history");
  ASSERT_TRUE(steps->isVisible());
  ASSERT_EQ(steps->model()->rowCount(), 4);
  EXPECT_EQ(steps->model()->index(0, 0).data().toString(), "As opened");
  EXPECT_EQ(steps->model()->index(2, 0).data().toString(), "Set shadows");
  click(steps->viewport(), steps->visualRect(steps->model()->index(1, 0)).center());
  EXPECT_DOUBLE_EQ(exposure(), 1);
  EXPECT_DOUBLE_EQ(session->document.course().at(Param::shadows, 0), 0);
  click(steps->viewport(), steps->visualRect(steps->model()->index(3, 0)).center());
  EXPECT_DOUBLE_EQ(exposure(), 2);
  click(find<QPushButton>("history_back"));
  EXPECT_TRUE(find<QWidget>("drawer_look")->isVisible());
}

TEST_F(AtHand, AfterACrashBothVersionsAreOffered) {
  const fs::path file = dir / "s.tsukimi";
  open();
  session->look.set_value(Param::exposure, 1);
  save(file);
  session->look.set_value(Param::exposure, 3);
  crash();
  open(file);
  auto* bar = find<RestoredBar>("restored");
  ASSERT_TRUE(bar->isVisible());
  EXPECT_DOUBLE_EQ(exposure(), 3);
  click(find<QPushButton>("show_saved"));
  EXPECT_DOUBLE_EQ(exposure(), 1);
  EXPECT_TRUE(bar->isVisible()) << "one looks from one to the other";
  click(find<QPushButton>("show_restored"));
  EXPECT_DOUBLE_EQ(exposure(), 3);
  click(find<QPushButton>("show_saved"));
  click(find<QPushButton>("keep_version"));
  EXPECT_FALSE(bar->isVisible());
  EXPECT_DOUBLE_EQ(exposure(), 1);
  EXPECT_FALSE(session->document.has_unsaved());
  ASSERT_TRUE(settled());
  // It was decided: the next opening does not ask again.
  w = std::make_unique<MainWindow>();
  session = &w->session();
  w->show();
  open(file);
  EXPECT_FALSE(find<RestoredBar>("restored")->isVisible());
  EXPECT_DOUBLE_EQ(exposure(), 1);
}

TEST_F(AtHand, WorkGoesOnWithWhatWasRestored) {
  const fs::path file = dir / "s.tsukimi";
  open();
  save(file);
  session->look.set_value(Param::exposure, 3);
  crash();
  open(file);
  ASSERT_TRUE(find<RestoredBar>("restored")->isVisible());
  session->look.set_value(Param::shadows, 10);
  EXPECT_FALSE(find<RestoredBar>("restored")->isVisible());
  EXPECT_DOUBLE_EQ(exposure(), 3);
  EXPECT_TRUE(session->document.has_unsaved());
}

// What is changed while the file is being written is not in it, and not called saved.
TEST_F(AtHand, WhatIsChangedWhileSavingStaysUnsaved) {
  open();
  session->look.set_value(Param::exposure, 1);
  int told = 0;
  session->document.save(dir / "a.tsukimi", [&](bool ok) { told += ok; });
  EXPECT_TRUE(session->document.saving());
  EXPECT_EQ(told, 0) << "it is not written in the window's thread";
  session->look.set_value(Param::exposure, 2);
  ASSERT_TRUE(QTest::qWaitFor([&] { return told == 1; }, 10000));
  EXPECT_TRUE(session->document.has_unsaved());
  EXPECT_DOUBLE_EQ(course_of(*open_shoot(dir / "a.tsukimi")).at(Param::exposure, 0), 1);
  // Two at once: one after the other, the last one stands.
  session->document.save(dir / "a.tsukimi");
  session->look.set_value(Param::exposure, 2.5);
  session->document.save(dir / "a.tsukimi", [&](bool ok) { told += ok; });
  ASSERT_TRUE(QTest::qWaitFor([&] { return told == 2; }, 10000));
  EXPECT_FALSE(session->document.has_unsaved());
  EXPECT_DOUBLE_EQ(course_of(*open_shoot(dir / "a.tsukimi")).at(Param::exposure, 0), 2.5);
}

TEST_F(AtHand, WhoClosesWhileItIsSavedIsNotAskedAgain) {
  open();
  session->look.set_value(Param::exposure, 1);
  bool asked = false;
  w->may_drop_changes = [&] { return asked = true; };
  session->document.save(dir / "a.tsukimi");
  w->close();
  EXPECT_FALSE(asked);
  EXPECT_DOUBLE_EQ(course_of(*open_shoot(dir / "a.tsukimi")).at(Param::exposure, 0), 1);
}

TEST_F(AtHand, ShortcutsAreSearched) {
  open();
  key(Qt::Key_F1);
  auto* dialog = find<ShortcutsDialog>("shortcuts");
  ASSERT_TRUE(dialog->isVisible());
  auto visible = [&] {
    QStringList out;
    for (auto* label : dialog->findChildren<QLabel*>())
      if (label->isVisible()) out << label->text();
    return out;
  };
  EXPECT_TRUE(visible().contains("Paste look"));
  EXPECT_TRUE(visible().contains("Whole screen"));
  QTest::keyClicks(dialog->findChild<QLineEdit*>("search"), "paste");
  EXPECT_EQ(visible(), (QStringList{"Edit", "Paste look", "Ctrl+V"}));
  dialog->findChild<QLineEdit*>("search")->clear();
  QTest::keyClicks(dialog->findChild<QLineEdit*>("search"), "F11");
  EXPECT_TRUE(visible().contains("Whole screen"));
  dialog->close();
}

// Every command has its place in a menu, and no key two meanings.
TEST_F(AtHand, NoTwoCommandsShareAKey) {
  std::map<QString, QString> seen;
  for (auto* action : w->actions())
    for (const auto& k : action->shortcuts()) {
      const QString text = k.toString();
      EXPECT_FALSE(seen.count(text)) << text.toStdString() << ": " << seen[text].toStdString()
                                     << " and " << action->text().toStdString();
      seen[text] = action->text();
    }
  EXPECT_GT(seen.size(), 35u);
}

TEST_F(AtHand, ThreeHintsPointAtTheirPartsOnce) {
  QSettings().remove("hints/seen");
  open();
  auto* hints = find<Hints>("hints");
  ASSERT_TRUE(hints->isVisible());
  QTest::qWait(50);
  // Beside the ruler, not over it.
  auto* ruler = find<Ruler>("exposure");
  const QRect at(ruler->mapTo(w.get(), QPoint()), ruler->size());
  EXPECT_FALSE(hints->geometry().intersects(at.adjusted(0, 0, -2, 0)));
  EXPECT_LT(std::abs(hints->geometry().center().y() - at.center().y()), hints->height());
  const QRect first = hints->geometry();
  click(find<QPushButton>("next_hint"));
  EXPECT_NE(hints->geometry(), first);
  EXPECT_TRUE(QRect({}, w->size()).contains(hints->geometry()));
  click(find<QPushButton>("next_hint"));
  EXPECT_TRUE(QRect({}, w->size()).contains(hints->geometry()));
  click(find<QPushButton>("next_hint"));
  QTest::qWait(20);
  EXPECT_EQ(w->findChild<Hints*>("hints"), nullptr);
  open();
  EXPECT_EQ(w->findChild<Hints*>("hints"), nullptr) << "once";
}

TEST_F(AtHand, PreferencesAreSeenAtOnceAndCancelTakesThemBack) {
  open();
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 20000));
  auto surround = [&] { return w->picture().grab().toImage().pixel(2, 2); };
  const QRgb before = surround();
  trigger("Preferences");
  auto* dialog = find<PreferencesDialog>("preferences");
  dialog->findChild<QSpinBox*>("surround")->setValue(40);
  EXPECT_NEAR(qGray(surround()), 102, 1);
  dialog->reject();
  // (reject() alone is Escape; the button does the same)
  trigger("Preferences");
  dialog = w->findChildren<PreferencesDialog*>("preferences").last();
  dialog->findChild<QCheckBox*>("finish_at_rest")->setChecked(false);
  dialog->findChild<QSpinBox*>("surround")->setValue(30);
  for (auto* b : dialog->findChildren<QPushButton*>())
    if (b->text().contains("OK")) b->click();
  EXPECT_EQ(Preferences::read().surround, 30);
  EXPECT_NE(surround(), before);
  session->playhead.set_frame(3);
  QTest::qWait(600);
  EXPECT_FALSE(w->picture().shown().at_rest()) << "the live picture stays";
  Preferences{}.write();
}

TEST_F(AtHand, ACacheFolderThatIsNoneIsSaidSo) {
  fs::create_directories(dir / "films" / "tsukimi");
  std::ofstream(dir / "films" / "tsukimi" / "holiday.mov") << "mine";
  trigger("Preferences");
  auto* dialog = w->findChildren<PreferencesDialog*>("preferences").last();
  auto* note = dialog->findChild<QLabel*>("cache_note");
  EXPECT_TRUE(note->isHidden());
  auto* cache = dialog->findChild<QLineEdit*>("cache");
  cache->setText(QString::fromStdString((dir / "films").string()));
  emit cache->editingFinished();
  EXPECT_FALSE(note->isHidden());
  EXPECT_TRUE(note->text().contains("films/tsukimi"));
  cache->setText(QString::fromStdString((dir / "other").string()));
  emit cache->editingFinished();
  EXPECT_TRUE(note->isHidden());
  dialog->reject();
  EXPECT_TRUE(fs::exists(dir / "films" / "tsukimi" / "holiday.mov"));
}

// WCAG 2: relative luminance, and its ratio.
TEST(Colours, TextStandsOutOfWhatIsBelowIt) {
  auto light = [](const QColor& c) {
    auto linear = [](double v) {
      return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
  };
  for (const QColor& text : {colour::text, colour::quiet, colour::moon, colour::coral})
    for (const QColor& below : {colour::ground, colour::panel, colour::raised})
      EXPECT_GE((light(text) + 0.05) / (light(below) + 0.05), 4.5)
          << text.name().toStdString() << " on " << below.name().toStdString();
}

// An evening's work: all of it undone, done again, saved and opened is the same.
TEST_F(AtHand, AllIsUndoneAndWhatIsSavedComesBackByteForByte) {
  open();
  const Decisions start = session->document.decisions();
  auto brightness_at = [&](int frame) {
    session->playhead.set_frame(frame);
    EXPECT_TRUE(settled());
    return brightness();
  };
  const double first = brightness_at(0), middle = brightness_at(24), last = brightness_at(47);
  session->playhead.set_frame(0);
  session->keys.toggle();
  session->playhead.set_frame(47);
  auto* ruler = find<Ruler>("exposure");
  drag(ruler, ruler->scale_rect().center(), ruler->scale_rect().center() - QPoint(60, 0));
  EXPECT_GT(brightness_at(47), last + 5) << "that frame";
  EXPECT_GT(brightness_at(24), middle + 2) << "those between";
  EXPECT_NEAR(brightness_at(0), first, 0.5) << "not the other key frame";
  session->playhead.set_frame(47);
  session->keys.set_easing(Easing::eased);
  session->look.apply(session->looks.list()[3], rows_of(session->looks.list()[3]));
  session->look.copy();
  session->look.carry(*session->look.copied(), rows_named("tones"), {0, 20});
  session->keys.move(20, 22, {});
  session->document.edit("range", [](Shoot& s) { set_film_range(s, 3, 40); });
  ASSERT_TRUE(settled());
  const Decisions done = session->document.decisions();
  QUndoStack& undo = session->document.undo();
  const int steps = undo.index();
  undo.setIndex(0);
  EXPECT_EQ(session->document.decisions(), start);
  EXPECT_NEAR(brightness_at(47), last, 0.01);
  undo.setIndex(steps);
  EXPECT_EQ(session->document.decisions(), done);
  save(dir / "a.tsukimi");
  open(dir / "a.tsukimi");
  EXPECT_EQ(session->document.decisions(), done);
  save(dir / "b.tsukimi");
  EXPECT_EQ(*read_file(dir / "a.tsukimi"), *read_file(dir / "b.tsukimi"));
}

// What a screen reader says, and what the keyboard reaches.
TEST_F(AtHand, EveryControlHasANameAndTheKeyboardReachesIt) {
  open();
  for (const auto& [drawer, name] : kDrawerIcons) {
    w->open_drawer(drawer);
    QTest::qWait(20);
    for (auto* control : w->findChildren<QWidget*>()) {
      if (!control->isVisible() || !control->isEnabled()) continue;
      const bool button = qobject_cast<QAbstractButton*>(control);
      const bool other = qobject_cast<QComboBox*>(control) || qobject_cast<Ruler*>(control) ||
                         qobject_cast<QListWidget*>(control) || qobject_cast<QSpinBox*>(control) ||
                         (qobject_cast<QLineEdit*>(control) &&
                          !qobject_cast<QAbstractSpinBox*>(control->parentWidget()));
      if (!button && !other) continue;
      const std::string which = (control->objectName() + " in drawer " + name).toStdString();
      const QString text = button ? static_cast<QAbstractButton*>(control)->text() : QString();
      EXPECT_FALSE(control->accessibleName().isEmpty() && text.isEmpty()) << which;
      EXPECT_TRUE(control->focusPolicy() & Qt::TabFocus) << which;
    }
  }
}

class Playing : public AtHand {
 protected:
  std::vector<int> seen;
  std::vector<double> seen_at;  // seconds
  QElapsedTimer watched;
  void watch() {
    watched.start();
    QObject::connect(&session->playhead, &Playhead::frame_changed, w.get(), [this] {
      seen.push_back(session->playhead.frame());
      seen_at.push_back(watched.nsecsElapsed() * 1e-9);
    });
  }
};

TEST_F(Playing, ToAndFroTurnsAtTheFilmsEndsAndOnceStops) {
  open();
  session->document.edit("f", [](Shoot& s) {
    set_film_range(s, 10, 15);
    s.decisions.fps = 24;
  });
  session->playhead.set_frame(10);
  ASSERT_TRUE(settled());
  for (int f = 10; f <= 15; ++f)
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !w->preview().get(f, Rendering::live, false).isNull(); }, 10000));
  click(find<QToolButton>("round"));
  EXPECT_EQ(find<QToolButton>("round")->text(), "To and fro");
  watch();
  key(Qt::Key_Space);
  ASSERT_TRUE(QTest::qWaitFor([&] { return seen.size() > 14; }, 10000));
  key(Qt::Key_Space);
  int turns = 0, direction = 1;
  for (std::size_t i = 1; i < seen.size(); ++i) {
    EXPECT_GE(seen[i], 10);
    EXPECT_LE(seen[i], 15);
    // A machine that is held up skips frames: as many as the time held.
    EXPECT_LE(std::abs(seen[i] - seen[i - 1]), 24 * (seen_at[i] - seen_at[i - 1]) + 1.5)
        << "it turns, it does not jump";
    const int d = seen[i] > seen[i - 1] ? 1 : -1;
    turns += d != direction;
    direction = d;
  }
  EXPECT_GE(turns, 2);
  // Once: it ends at the end.
  click(find<QToolButton>("round"));
  EXPECT_EQ(find<QToolButton>("round")->text(), "Once");
  session->playhead.set_frame(10);
  key(Qt::Key_Space);
  ASSERT_TRUE(QTest::qWaitFor([&] { return !w->transport().playing(); }, 10000));
  EXPECT_EQ(session->playhead.frame(), 15);
}

// The look is worked on while it plays: a drag does not hold the film up.
TEST_F(Playing, GoesOnWhileARulerIsDragged) {
  open();
  session->document.edit("f", [](Shoot& s) { s.decisions.fps = 24; });
  session->playhead.set_frame(0);
  ASSERT_TRUE(settled());
  key(Qt::Key_Space);
  QElapsedTimer clock;
  clock.start();
  // Also where no picture can be made in time.
  int most = 0;
  for (int i = 0; clock.elapsed() < 20000 && most <= 12; ++i) {
    session->look.set_value(Param::exposure, 0.01 * (i % 50), "drag");
    QTest::qWait(16);
    most = std::max(most, session->playhead.frame());
  }
  EXPECT_TRUE(w->transport().playing());
  EXPECT_GT(most, 12);
  key(Qt::Key_Space);
}

// At a pace that cannot be reached frames are skipped: the film takes its time and no more.
TEST_F(Playing, FramesThatAreLateAreSkippedAndTheNextRoundHasThem) {
  open();
  session->document.edit("f", [](Shoot& s) {
    s.decisions.fps = 60;
    for (const auto& row : kLook.rows())
      if (row.id == Param::noise || row.id == Param::local_contrast || row.id == Param::shadows)
        set_value(s, row.id, 0, 60);
  });
  session->playhead.set_frame(0);
  ASSERT_TRUE(settled());
  w->resize(1900, 1200);
  QTest::qWait(400);
  watch();
  QElapsedTimer clock;
  clock.start();
  key(Qt::Key_Space);
  // Round the 48 frames three times.
  ASSERT_TRUE(QTest::qWaitFor([&] { return clock.elapsed() > 3 * 800 + 100; }, 10000));
  key(Qt::Key_Space);
  int rounds = 0;
  std::vector<int> in_round(1, 0);
  for (std::size_t i = 1; i < seen.size(); ++i) {
    if (seen[i] < seen[i - 1]) ++rounds, in_round.push_back(0);
    ++in_round.back();
  }
  EXPECT_GE(rounds, 2) << "the film keeps its time";
  EXPECT_LE(rounds, 3);
}

}  // namespace
}  // namespace tsukimi::app
