// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the pictures in docs/screenshots: the real window with the demo shoot, at 1280x800.
//   tsukimi-screenshots demo.tsukimi docs/screenshots [name] [1920x1080]
#include <QApplication>
#include <QDir>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <cstdio>

#include <QLineEdit>
#include <QPainter>
#include <QWheelEvent>

#include "app/dialogs/bring_in_dialog.h"
#include "app/main_window.h"
#include "app/widgets/style.h"
#include "document/framing/framing_edit.h"
#include "document/light_edit.h"
#include "document/values.h"
#include "film/film.h"

using namespace tsukimi::app;

namespace {

bool settle(MainWindow& w) {
  return QTest::qWaitFor(
      [&] {
        return w.session().document.is_open() && w.session().light.known() &&
               w.session().tasks.idle() && w.picture().shown().at_rest();
      },
      120000);
}

// Three small exports of the demo, in a folder of their own.
void add_to_queue(MainWindow& w) {
  static const QTemporaryDir place;
  const auto folder = std::filesystem::path(place.path().toStdString());
  tsukimi::Shoot shoot = w.session().document.shoot();
  auto& queue = w.session().exports.queue();
  tsukimi::FilmSettings film = *tsukimi::usual_film(".mp4");
  film.file = (folder / "harbour.mp4").string();
  film.pixels.exact = {960, 540};
  tsukimi::ExportSettings frames;
  frames.folder = (folder / "harbour-frames").string();
  frames.pixels.exact = {960, 540};
  tsukimi::FilmSettings loop = *tsukimi::usual_film(".webm");
  loop.file = (folder / "loop.webm").string();
  loop.pixels.long_edge = 480;
  queue.add(shoot, "harbour", {{}, {film}, {0, 59}}, [](auto) {});
  queue.add(shoot, "harbour", {{frames}, {}, {0, 39}}, [](auto) {});
  queue.add(shoot, "harbour", {{}, {loop}, {60, 99}}, [](auto) {});
}

// The sky with two key frames, and a foreground painted with strokes along the quay.
void add_places(MainWindow& w) {
  using namespace tsukimi;
  w.session().document.edit("places", [](Shoot& s) {
    LocalPlace sky = new_place("Sky", ShapeKind::graduated, s.sequence.id_of(0));
    sky.values.keys[0].values[Param::place_exposure] = -0.9;
    sky.values.keys[0].values[Param::place_haze] = 18;
    sky.values.keys[0].values[Param::place_temperature] = -350;
    Values night = sky.values.keys[0].values;
    night[Param::place_exposure] = -0.3;
    sky.values.at(s.sequence.id_of(92), sky.values.keys[0].values);
    sky.values.at(s.sequence.id_of(150), night);
    // The hill, painted along its ridge.
    LocalPlace hill = new_place("Hill", ShapeKind::painted, s.sequence.id_of(20));
    Stroke stroke{0.07, 60, 100, false, {}, true};
    stroke.points = {{0.02, 0.43}, {0.1, 0.32}, {0.2, 0.29}, {0.3, 0.34}, {0.4, 0.42}, {0.5, 0.45}};
    Stroke below{0.04, 60, 80, false, {{0.03, 0.5}, {0.2, 0.4}, {0.42, 0.47}}, true};
    hill.shapes[0].painted[0].painting = Painting({stroke, below});
    hill.values.keys[0].values[Param::place_exposure] = 0.5;
    hill.follow = tsukimi::Follow::picture;
    s.decisions.places = {sky, hill};
  });
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  static const QTemporaryDir data;  // its queue, settings and autosaves are not the user's
  qputenv("XDG_DATA_HOME", data.path().toUtf8());
  qputenv("XDG_CONFIG_HOME", data.path().toUtf8());
  QApplication application(argc, argv);
  QApplication::setOrganizationName("tsukimi-screenshots");
  QApplication::setApplicationName("tsukimi-screenshots");
  QSettings().setValue("hints/seen", true);
  apply_style(application);
  MainWindow w;
  const QStringList sides = QString(argc > 4 ? argv[4] : "1280x800").split('x');
  const QSize size(sides[0].toInt(), sides[1].toInt());
  w.resize(size);
  w.may_drop_changes = [] { return true; };
  w.show();
  w.open(argv[1]);
  if (!settle(w)) return 1;
  const QString only = argc > 3 ? argv[3] : "";
  auto shot = [&](const QString& name, DrawerId drawer, int frame,
                  const std::function<void()>& prepare = {}) {
    if (!only.isEmpty() && only != name) return;
    w.open_drawer(drawer);
    w.session().playhead.set_frame(frame);
    if (prepare) prepare();
    settle(w);
    QTest::qWait(250);
    w.grab().save(QDir(argv[2]).filePath(name + ".png"));
    std::printf("%s\n", qPrintable(name));
  };
  shot("look", DrawerId::look, 92);
  auto page = [&](const char* name) {
    return [&w, name] { w.findChild<QToolButton*>(QString("page_") + name)->click(); };
  };
  shot("look_colours", DrawerId::look, 60, page("colours"));
  page("light")();
  shot("tones_over_time", DrawerId::look, 140, [&] {
    w.timeline().tones_button->setChecked(true);
    (void)QTest::qWaitFor([&] { return w.session().tones.up_to_date(); }, 30000);
  });
  w.timeline().tones_button->setChecked(false);
  if (w.transport().playing()) w.transport().toggle_play();
  w.resize(size);
  shot("sequence", DrawerId::sequence, 60, [&] { w.session().checking.go_to_suspect(1); });
  shot("contact_sheet", DrawerId::sequence, 112, [&] {
    w.session().document.edit("aside", [](tsukimi::Shoot& s) {
      set_aside(s, {40, 41, 112}, true);
    });
    w.transport().sheet_button->setChecked(true);
    settle(w);
    QTest::qWait(1500);
  });
  w.transport().sheet_button->setChecked(false);
  while (w.session().document.undo().canUndo()) w.session().document.undo().undo();
  if (only.isEmpty() || only == "bring_in") {
    auto* dialog = w.bring_in(std::filesystem::path(argv[1]).parent_path() / "card");
    auto* list = dialog->findChild<QListWidget*>("sequences");
    (void)QTest::qWaitFor([&] { return list->count() > 0; }, 30000);
    dialog->findChild<QLineEdit*>("to")->setText("/home/you/film/quay");
    QTest::qWait(1500);
    QPixmap all = w.grab();
    QPainter(&all).drawPixmap((w.width() - dialog->width()) / 2,
                              (w.height() - dialog->height()) / 2, dialog->grab());
    all.save(QDir(argv[2]).filePath("bring_in.png"));
    std::printf("bring_in\n");
    dialog->close();
  }
  shot("steps", DrawerId::steps, 120, [&] {
    const int step = w.session().light.plan().level.steps[5].at;
    w.findChild<QListWidget*>("steps")->setCurrentRow(5);
    w.session().document.edit("evening", [&](tsukimi::Shoot& s) {
      s.decisions.level.on = true;
      choose_step(s, step, tsukimi::StepUse::ignored);
      for (const auto& [frame, stops] : {std::pair{40, 0.0}, {110, 0.35}, {170, -0.8}})
        set_evening(s, frame, stops);
    });
  });
  w.session().document.undo().undo();
  shot("flicker", DrawerId::flicker, 30, [&] {
    w.session().document.edit("area", [](tsukimi::Shoot& s) {
      s.decisions.deflicker.areas = {
          {tsukimi::AreaShape::rectangle, {0.02, 0.36, 0.40, 0.20}, {}, false},
          {tsukimi::AreaShape::ellipse, {0.55, 0.62, 0.30, 0.16}, {}, true}};
    });
    w.session().areas.set_map(true);
  });
  w.session().areas.set_map(false);
  w.session().document.undo().undo();
  shot("side_by_side", DrawerId::flicker, 52, [&] {
    w.session().document.edit("deflicker", [](tsukimi::Shoot& s) {
      s.decisions.level.on = s.decisions.deflicker.on = true;
    });
    w.findChild<QPushButton*>("beside")->click();
    w.findChild<QPushButton*>("light_lens")->click();
    QTest::qWait(3000);
  });
  if (w.session().judging.beside()) {
    w.findChild<QPushButton*>("beside")->click();
    w.findChild<QPushButton*>("light_lens")->click();
    w.session().compare.set_with(Compare::With::as_shot);
    w.session().document.undo().undo();
  }
  // A sky held down, and a foreground that is being painted.
  auto& places = w.session().places;
  shot("places_painted", DrawerId::places, 20, [&] {
    add_places(w);
    places.choose(1);
    places.set_veil(true);
    w.findChild<QToolButton*>("place_page_mask")->click();
  });
  places.set_veil(false);
  shot("repairs", DrawerId::repairs, 60, [&] {
    w.findChild<QPushButton*>("find_dust")->click();
    (void)QTest::qWaitFor([&] { return !w.session().repairs.looking(); }, 120000);
    w.session().repairs.add_spot({0.305, 0.62});
    (void)QTest::qWaitFor([&] { return !w.session().repairs.looking(); }, 60000);
  });
  auto press = [&](const char* name) { w.findChild<QAbstractButton*>(name)->click(); };
  shot("framing_glide", DrawerId::framing, 64, [&] {
    w.session().document.edit("glide", [](tsukimi::Shoot& s) {
      propose_glide(s, tsukimi::GlideKind::push_in);
      set_crop(s, 179, {0.3, 0.22, 0.66, 0});
    });
    press("framing_glide");
  });
  w.session().document.undo().undo();
  shot("pace", DrawerId::pace, 96, [&] {
    w.session().document.edit("speed", [](tsukimi::Shoot& s) {
      for (const auto& [frame, speed] : {std::pair{0, 2.0}, {60, 1.6}, {96, 0.4}, {179, 1.4}})
        set_value(s, tsukimi::Param::speed, frame, speed);
    });
  });
  w.session().document.undo().undo();
  shot("export", DrawerId::exports, 178, [&] {
    w.session().document.edit("export", [](tsukimi::Shoot& s) {
      s.decisions.output = {.folder = "/home/you/film/harbour",
                            .pattern = "{shoot}_#####",
                            .format = tsukimi::FileFormat::tiff16};
    });
  });
  add_to_queue(w);
  shot("queue_running", DrawerId::exports, 120, [&] {
    press("show_queue");
    (void)QTest::qWaitFor(
        [&] {
          const auto& p = w.session().exports.queue().progress();
          return p && p->fps > 0 && p->done > 8;
        },
        60000);
  });
  // What follows shows no export at work.
  auto& queue = w.session().exports.queue();
  queue.cancel_all();
  (void)QTest::qWaitFor(
      [&] {
        queue.look();
        return !queue.running() && !queue.changing();
      },
      30000);
  // A dialog over the window.
  auto over = [&](const char* name, QWidget* dialog) {
    QTest::qWait(200);
    QPixmap all = w.grab();
    QPainter(&all).drawPixmap((w.width() - dialog->width()) / 2,
                              (w.height() - dialog->height()) / 2, dialog->grab());
    all.save(QDir(argv[2]).filePath(QString(name) + ".png"));
    std::printf("%s\n", name);
    dialog->close();
  };
  for (const char* name : {"shortcuts", "preferences"}) {
    if (only != name) continue;
    for (auto* action : w.actions())
      if (action->text().remove('&').startsWith(QString(name), Qt::CaseInsensitive))
        action->trigger();
    over(name, w.findChild<QDialog*>(name));
  }
  if (only == "hints") {
    QSettings().setValue("hints/seen", false);
    w.open(argv[1]);
    QTest::qWait(300);
    settle(w);
    for (int k = 0; k < 3; ++k) {
      QTest::qWait(150);
      w.grab().save(QDir(argv[2]).filePath(QString("hints%1.png").arg(k)));
      w.findChild<QPushButton*>("next_hint")->click();
    }
  }
  if (only.isEmpty() || only == "start") {
    w.open_drawer(DrawerId::look);
    const char* const names[] = {"harbour", "ferry at sunset", "spring tide", "ferry, last run"};
    const int frames[] = {30, 70, 110, 176};
    std::vector<std::pair<QString, QImage>> made;
    for (int k = 0; k < 4; ++k) {
      w.session().playhead.set_frame(frames[k]);
      settle(w);
      made.emplace_back(names[k], w.picture().shown().picture().image);
    }
    MainWindow begin;
    begin.resize(size);
    begin.recent().forget(argv[1]);
    for (int k = 3; k >= 0; --k) {
      const auto there = std::filesystem::path(argv[1]).parent_path();
      begin.recent().remember({k == 2 ? "/media/disk/tide" : there.string() + std::string(k, '/'),
                               made[k].first, k ? 160 + 95 * k : 180,
                               QDate(2031, 10 - k, 4 + 5 * k), made[k].second, false});
    }
    begin.show();
    QTest::qWait(600);
    begin.grab().save(QDir(argv[2]).filePath("start.png"));
    std::printf("start\n");
  }
  // The brackets of the demo's card.
  if (only.isEmpty() || only == "stack") {
    const auto card = tsukimi::read_card(std::filesystem::path(argv[1]).parent_path() / "card");
    if (!card) return 1;
    const auto part =
        std::ranges::find(card->scan.parts, tsukimi::PartKind::brackets, &tsukimi::Part::kind);
    w.session().opener.open_part(std::make_shared<tsukimi::FolderScan>(card->scan), part->frames);
    (void)QTest::qWaitFor([&] { return w.session().stack.has_brackets(); }, 60000);
    settle(w);
    shot("stack", DrawerId::stack, 4,
         [&] { w.findChild<QListWidget*>("shots")->setCurrentRow(0); });
  }
  // Stars over the harbour.
  if (only.isEmpty() || only == "stack_trails" || only == "framing_stars") {
    w.open(std::filesystem::path(argv[1]).parent_path() / "night.tsukimi");
    if (!settle(w)) return 1;
    shot("stack_trails", DrawerId::stack, 70, [&] {
      press("stack_trails");
      (void)QTest::qWaitFor(
          [&] {
            return w.session().tasks.idle() && w.picture().shown().at_rest() &&
                   !w.picture().shown().picture().lacks_trail;
          },
          120000);
    });
    w.session().document.edit("points", [](tsukimi::Shoot& s) { s.decisions.trails.kind = {}; });
    shot("framing_stars", DrawerId::framing, 70, [&] {
      w.session().framing.set_steadying(tsukimi::Steadying::stars);
      (void)QTest::qWaitFor([&] { return w.session().document.courses().framing.holds_stars(); },
                            120000);
      press("framing_steady");
    });
  }
  return 0;
}
