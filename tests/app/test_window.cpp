// SPDX-License-Identifier: GPL-3.0-or-later
// Drives the real window as a person would: mouse, keys, and results in files and pictures.
#include "app/convert/qimage.h"
#include "app/window_fixture.h"
#include "develop/display.h"
#include "document/framing/output_size.h"

namespace tsukimi::app {
namespace {

TEST_F(Window, OpensAFolderThroughDropAndLeafsThroughIt) {
  QMimeData data;
  data.setUrls(
      {QUrl::fromLocalFile(QString::fromStdString((harbour().folder / "TSK_0412.dng").string()))});
  QDragEnterEvent enter({400, 300}, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(w.get(), &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop({400, 300}, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(w.get(), &drop);
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().frame_count(), 48);
  EXPECT_NE(w->windowTitle().indexOf("harbour"), -1);
  key(Qt::Key_Right);
  EXPECT_EQ(session->playhead.frame(), 1);
  key(Qt::Key_Right, Qt::ShiftModifier);
  EXPECT_EQ(session->playhead.frame(), 11);
  key(Qt::Key_End);
  EXPECT_EQ(session->playhead.frame(), 47);
  key(Qt::Key_Home);
  EXPECT_EQ(session->playhead.frame(), 0);
  click(&w->timeline(), QPoint(static_cast<int>(w->timeline().x_of(20)), 40));
  EXPECT_EQ(session->playhead.frame(), 20);
  EXPECT_NE(find<QLabel>("place")->text().indexOf("frame 21 of 48"), -1);
}

TEST_F(Window, DraggingARulerMakesAKeyFrameAndChangesThePicture) {
  open();
  w->open_drawer(DrawerId::look);
  session->playhead.set_frame(5);
  ASSERT_TRUE(settled());
  w->grab();
  const double before = brightness();
  auto* exposure = find<Ruler>("exposure");
  drag(exposure, {120, 30}, {40, 30});  // the scale to the left: more
  ASSERT_EQ(session->document.decisions().look.keys.size(), 1u);
  EXPECT_EQ(session->document.decisions().look.keys[0].frame, FrameId{5});
  const double value = session->document.decisions().look.keys[0].values[Param::exposure];
  EXPECT_GT(value, 0.5);
  EXPECT_NE(w->message().indexOf("key frame was made"), -1);
  ASSERT_TRUE(settled());
  w->grab();
  EXPECT_GT(brightness(), before * 1.2);
  // One drag is one undo step.
  EXPECT_EQ(session->document.undo().count(), 1);
  QTest::keyClick(w.get(), Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(session->document.decisions().look.keys.empty());
  QTest::keyClick(w.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_EQ(session->document.decisions().look.keys.size(), 1u);
  EXPECT_EQ(session->document.decisions().look.keys[0].values[Param::exposure], value);
}

TEST_F(Window, ARulerTakesTypingWheelAndReset) {
  open();
  w->open_drawer(DrawerId::look);
  auto* contrast = find<Ruler>("contrast");
  click(contrast, {contrast->width() - 20, 8});
  auto* typed = contrast->findChild<QLineEdit*>("typed");
  ASSERT_NE(typed, nullptr);
  typed->setText("37");
  QTest::keyClick(typed, Qt::Key_Return);
  EXPECT_EQ(session->document.decisions().look.keys.at(0).values[Param::contrast], 37);
  QTest::keyClick(contrast, Qt::Key_Up);
  EXPECT_EQ(session->document.decisions().look.keys.at(0).values[Param::contrast], 38);
  QTest::mouseDClick(contrast, Qt::LeftButton, {}, {60, 30});
  EXPECT_EQ(session->document.decisions().look.keys.at(0).values[Param::contrast], 0);
}

TEST_F(Window, EachDragOfARulerIsAStepOfItsOwn) {
  open();
  w->open_drawer(DrawerId::look);
  click(find<QToolButton>("page_tones"));
  QApplication::processEvents();
  auto* contrast = find<Ruler>("contrast");
  auto now = [&] {
    return session->document.course().at(Param::contrast, session->playhead.frame());
  };
  const QPoint middle = contrast->scale_rect().center();
  std::vector<double> after{now()};
  for (int i = 0; i < 3; ++i) {
    drag(contrast, middle, middle - QPoint(25, 0));
    after.push_back(now());
    EXPECT_GT(after.back(), after[after.size() - 2] + 5);
  }
  QTest::keyClick(contrast, Qt::Key_Up);  // keys follow one another in one step
  QTest::keyClick(contrast, Qt::Key_Up);
  EXPECT_EQ(now(), after.back() + 2);
  for (auto it = after.rbegin(); it != after.rend(); ++it) {
    key(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(now(), *it);
  }
  EXPECT_TRUE(session->document.decisions().look.keys.empty());
}

TEST_F(Window, TheRunShowsKeysGoesToFramesAndTakesDrags) {
  open();
  w->open_drawer(DrawerId::look);
  session->playhead.set_frame(0);
  session->look.set_value(Param::saturation, 20);
  session->playhead.set_frame(40);
  session->look.set_value(Param::saturation, -20);
  click(find<QToolButton>("page_colours"));
  auto* run = find<Ruler>("saturation");
  QApplication::processEvents();
  const QRect r = run->run_rect();
  click(run, {run->width() / 2, r.center().y()});
  EXPECT_NEAR(session->playhead.frame(), 24, 1);
  const int x40 = 4 + (run->width() - 8) * 40 / 47;
  drag(run, {x40, r.center().y()}, {x40, r.center().y() - 60});
  EXPECT_GT(session->document.decisions().look.keys.at(1).values[Param::saturation], 0);
  EXPECT_EQ(session->playhead.frame(), 40);
}

TEST_F(Window, KeyFramesByKeyboardAndCarry) {
  open();
  session->playhead.set_frame(10);
  key(Qt::Key_K);
  ASSERT_EQ(session->document.decisions().look.keys.size(), 1u);
  session->look.set_value(Param::exposure, 1);
  key(Qt::Key_C, Qt::ControlModifier);
  session->playhead.set_frame(30);
  session->look.set_value(Param::exposure, -1);
  session->playhead.set_frame(44);
  key(Qt::Key_V, Qt::ControlModifier);
  ASSERT_EQ(session->document.decisions().look.keys.size(), 3u);
  EXPECT_EQ(session->document.decisions().look.keys[2].values[Param::exposure], 1);
  key(Qt::Key_PageUp);
  EXPECT_EQ(session->playhead.frame(), 30);
  key(Qt::Key_K);
  EXPECT_EQ(session->document.decisions().look.keys.size(), 2u);
}

TEST_F(Window, LevelAndDeflickerFromTheDrawers) {
  open();
  EXPECT_TRUE(w->rail().attention(static_cast<int>(DrawerId::steps)));
  click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::steps)).center());
  toggle("level_on");
  ASSERT_TRUE(settled());
  EXPECT_TRUE(session->document.decisions().level.on);
  EXPECT_FALSE(w->rail().attention(static_cast<int>(DrawerId::steps)));
  double largest = 0;
  for (double c : session->light.plan().level_correction) largest = std::max(largest, std::fabs(c));
  EXPECT_GT(largest, 0.15);
  auto* steps = find<QListWidget>("steps");
  ASSERT_GT(steps->count(), 3);
  EXPECT_EQ(static_cast<std::size_t>(steps->count()), session->light.plan().level.steps.size());

  click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::flicker)).center());
  toggle("deflicker_on");
  ASSERT_TRUE(settled());
  const auto& r = session->light.plan().deflicker;
  EXPECT_GT(r.before_percent, 1.5);
  const auto& left = session->light.plan().left;
  EXPECT_GT(left.before_median, 1.5);
  EXPECT_LT(left.left_median, 0.35 * left.before_median);
  // A steady area drawn on the picture counts at once.
  const QPoint c = w->picture().rect().center();
  drag(&w->picture(), c - QPoint(150, 60), c + QPoint(20, 30));
  ASSERT_EQ(session->document.decisions().deflicker.areas.size(), 1u);
  const auto before = session->light.plan().as_shot;
  ASSERT_TRUE(settled());
  EXPECT_NE(session->light.plan().as_shot, before);
}

TEST_F(Window, CropBoxAndItsDrag) {
  open();
  click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::framing)).center());
  auto* aspect = find<QComboBox>("aspect");
  aspect->setFocus();
  QTest::keyClick(aspect, Qt::Key_Down);
  emit aspect->activated(aspect->currentIndex());
  EXPECT_EQ(session->document.decisions().framing.aspect, "16:9");
  const double y = session->document.decisions().framing.crop.y;
  const QPoint c = w->picture().rect().center();
  drag(&w->picture(), c, c + QPoint(0, 12));
  EXPECT_GT(session->document.decisions().framing.crop.y, y + 0.01);
  EXPECT_EQ(output_size(session->document.shoot()), (Size{300, 168}));
}

TEST_F(Window, FullSizeShowsThePixelsOfTheFilm) {
  open();
  session->document.edit("Crop", [](Shoot& s) {
    s.decisions.framing = {"1:1", crop_to_aspect(s.sequence.size, 1)};
  });
  session->look.set_value(Param::vignette, -80);  // it follows the crop, not the frame
  ASSERT_TRUE(settled());
  key(Qt::Key_Z);
  const int frame = session->playhead.frame();
  auto full = [&] { return w->preview().get(frame, Rendering::finished, false); };
  ASSERT_TRUE(QTest::qWaitFor([&] { return !full().isNull(); }, 10000));
  const Picture seen = full();
  const auto film =
      develop_film_frame(film_recipe(session->document.shoot(), session->document.courses(),
                                     session->light.plan(), itself(frame), View{}));
  ASSERT_TRUE(film);
  EXPECT_EQ(seen.shows.part(), session->document.decisions().framing.crop);
  EXPECT_EQ(seen.image, to_qimage(to_srgb8(*film)));
}

// No more pictures are kept than there is memory for; those that were not seen for longest go.
TEST_F(Window, PicturesAreKeptAsFarAsTheirMemoryGoes) {
  open();
  key(Qt::Key_Z);
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 10000));
  w->preview().set_memory(3 * w->picture().shown().picture().image.sizeInBytes());
  auto full = [&](int frame) { return w->preview().get(frame, Rendering::finished, false); };
  for (int frame = 0; frame < 8; ++frame)
    ASSERT_TRUE(QTest::qWaitFor([&] { return !full(frame).isNull(); }, 10000)) << frame;
  EXPECT_FALSE(full(7).isNull());
  EXPECT_FALSE(full(6).isNull());
  EXPECT_TRUE(full(0).isNull());  // and is asked for by this
  ASSERT_TRUE(QTest::qWaitFor([&] { return !full(0).isNull(); }, 10000));
  // Small ones stay: leafing back shows them at once.
  auto small = [&](int frame) { return w->preview().get(frame, Rendering::thumbnail, false); };
  for (int frame = 0; frame < 8; ++frame)
    ASSERT_TRUE(QTest::qWaitFor([&] { return !small(frame).isNull(); }, 10000)) << frame;
  for (int frame = 0; frame < 8; ++frame) EXPECT_FALSE(small(frame).isNull()) << frame;
}

TEST_F(Window, APictureOfFullSizeIsDrawnPixelByPixel) {
  open();
  session->document.edit("Crop", [](Shoot& s) {
    s.decisions.framing = {"16:9", crop_to_aspect(s.sequence.size, 16.0 / 9)};
  });
  ASSERT_TRUE(settled());
  key(Qt::Key_Z);
  auto full = [&] {
    return w->preview().get(session->playhead.frame(), Rendering::finished, false);
  };
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 10000));
  const QImage made = full().image;
  EXPECT_EQ(made.size(), QSize(300, 168));
  const QImage seen = w->picture().grab().toImage();
  // Somewhere on screen it stands as it was made, not smoothed.
  const QPoint corner((seen.width() - made.width()) / 2, (seen.height() - made.height()) / 2);
  int most = 0, of = 0;
  for (int dy = -1; dy <= 1; ++dy)
    for (int dx = -1; dx <= 1; ++dx) {
      int same = 0;
      of = 0;
      for (int y = 2; y < made.height() - 32; y += 5)  // what is said of it stands below
        for (int x = 2; x < made.width() - 2; x += 5, ++of)
          same += seen.pixel(corner.x() + dx + x, corner.y() + dy + y) == made.pixel(x, y);
      most = std::max(most, same);
    }
  EXPECT_EQ(most, of);
}

TEST_F(Window, PlaysAndStops) {
  open();
  key(Qt::Key_Space);
  EXPECT_TRUE(w->transport().playing());
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->playhead.frame() > 12; }, 10000));
  key(Qt::Key_Space);
  EXPECT_FALSE(w->transport().playing());
  const int frame = session->playhead.frame();
  QTest::qWait(120);
  EXPECT_EQ(session->playhead.frame(), frame);
}

TEST_F(Window, InAndOutShortenTheFilm) {
  open();
  session->playhead.set_frame(4);
  key(Qt::Key_I);
  session->playhead.set_frame(20);
  key(Qt::Key_O);
  EXPECT_EQ(film_frames(session->document.shoot()).size(), 17u);
}

TEST_F(Window, SavesOpensAgainAndStartsOver) {
  open();
  session->playhead.set_frame(7);
  session->look.set_value(Param::exposure, 0.8);
  session->document.edit("level", [](Shoot& s) { s.decisions.level.on = true; });
  const fs::path file = dir / "evening.tsukimi";
  const Decisions decided = session->document.decisions();
  save(file);
  EXPECT_FALSE(session->document.has_unsaved());
  w->open(file);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        return session->document.file() == file && session->light.known() && session->tasks.idle();
      },
      30000));
  EXPECT_EQ(session->document.decisions(), decided);
  session->document.start_over();
  EXPECT_EQ(session->document.decisions(), Decisions{});
  session->document.undo().undo();
  EXPECT_EQ(session->document.decisions(), decided);
}

TEST_F(Window, UnsavedWorkComesBack) {
  open();
  session->playhead.set_frame(3);
  session->look.set_value(Param::tint, 12);
  QTest::qWait(1700);  // autosave
  ASSERT_TRUE(settled());
  w.reset();  // as after a crash: nothing was saved by hand
  w = std::make_unique<MainWindow>();
  w->may_drop_changes = [] { return true; };
  session = &w->session();
  w->show();
  open();
  ASSERT_EQ(session->document.decisions().look.keys.size(), 1u);
  EXPECT_EQ(session->document.decisions().look.keys[0].values[Param::tint], 12);
  session->document.undo().undo();
  EXPECT_TRUE(session->document.decisions().look.keys.empty());
}

TEST_F(Window, ExportsNumberedFilesFromTheDrawer) {
  open();
  session->document.edit("short", [](Shoot& s) { s.decisions.out = 7; });
  click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::exports)).center());
  auto* folder = find<QLineEdit>("folder");
  auto* go = find<QPushButton>("primary");
  EXPECT_TRUE(folder->placeholderText().endsWith("-frames")) << "a new one, while none is chosen";
  folder->setText(QString::fromStdString((dir / "film").string()));
  QTest::keyClick(folder, Qt::Key_Return);
  auto* pattern = find<QLineEdit>("pattern");
  pattern->setText("night_###");
  QTest::keyClick(pattern, Qt::Key_Return);
  ASSERT_TRUE(go->isEnabled());
  click(go);
  const QueuedJob job = exported();
  ASSERT_EQ(job.state, JobState::done) << job.problem;
  EXPECT_EQ(job.written, 8);
  for (int i = 1; i <= 8; ++i)
    EXPECT_TRUE(
        fs::exists(dir / "film" / QString("night_%1.jpg").arg(i, 3, 10, QChar('0')).toStdString()))
        << i;
  // Again, with another look: refused, offered, replaced.
  session->look.set_value(Param::exposure, 1);
  click(go);
  EXPECT_EQ(exported().state, JobState::failed);
  auto* replace = find<QPushButton>("replace");
  ASSERT_TRUE(replace->isVisible());
  click(replace);
  const QueuedJob replaced = exported();
  EXPECT_EQ(replaced.state, JobState::done) << replaced.problem;
  EXPECT_EQ(replaced.written, 8);
}

// Every field of the drawer, by what stands in the file.
TEST_F(Window, TheExportDrawerSetsFormatColoursSizeAndNames) {
  open();
  session->document.edit("short", [](Shoot& s) { s.decisions.out = 1; });
  click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::exports)).center());
  auto choose = [&](const char* name, int index) {
    auto* box = find<QComboBox>(name);
    box->setCurrentIndex(index);
    emit box->activated(index);
  };
  auto type = [&](const char* name, const QString& text) {
    auto* field = find<QWidget>(name);
    field->setFocus();
    QTest::keyClick(field, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(field, text);
    QTest::keyClick(field, Qt::Key_Return);
  };
  type("folder", QString::fromStdString((dir / "film").string()));
  type("pattern", "{shoot}_###");
  type("first_number", "7");
  EXPECT_TRUE(find<QSpinBox>("quality")->isVisible());
  choose("format", static_cast<int>(FileFormat::tiff8));
  EXPECT_FALSE(find<QSpinBox>("quality")->isVisible());
  choose("compression", static_cast<int>(Compression::lzw));
  choose("space", static_cast<int>(ColourSpace::p3));
  // An exact size, which may well be one of the named ones: its fields stay.
  choose("size", 2);
  EXPECT_EQ(session->document.decisions().output.pixels.exact, (Size{1920, 1080}));
  choose("size", 4);
  EXPECT_TRUE(find<QSpinBox>("width")->isVisible());
  EXPECT_EQ(session->document.decisions().output.pixels.exact, (Size{1920, 1080}));
  type("width", "96");
  type("height", "64");
  EXPECT_EQ(session->document.decisions().output.pixels.exact, (Size{96, 64}));
  choose("size", 3);
  type("long_edge", "120");
  EXPECT_EQ(output_size(session->document.shoot()), (Size{120, 80}));
  type("copyright", "100%20 Moor");
  click(find<QCheckBox>("sidecars"));
  ASSERT_TRUE(settled());
  bool named = false;
  for (auto* label : w->findChildren<QLabel*>())
    named |= label->isVisible() && label->text().contains("_007.tif") &&
             label->text().contains("_008.tif");
  EXPECT_TRUE(named) << "first and last";
  click(find<QPushButton>("primary"));
  const QueuedJob job = exported();
  ASSERT_EQ(job.state, JobState::done) << job.problem;
  const std::string begin = harbour().folder.filename().string();
  const auto bytes = read_file(dir / "film" / (begin + "_008.tif"));
  ASSERT_TRUE(bytes) << bytes.error().message;
  const std::string text(bytes->begin(), bytes->end());
  EXPECT_NE(text.find("100%20 Moor"), std::string::npos);
  EXPECT_NE(text.find(std::string("P\0003\000-\000D\0006\0005", 11)), std::string::npos)
      << "its profile";
  EXPECT_EQ(read_frame_info(dir / "film" / (begin + "_007.tif")).size, (Size{120, 80}));
  EXPECT_TRUE(fs::exists(dir / "film" / (begin + "_007.xmp")));
}

// Below a narrow picture: where we are has room before what the menu has too.
TEST_F(Window, ThePlaceKeepsItsRoomBelowANarrowPicture) {
  open();
  auto* place = find<QLabel>("place");
  EXPECT_TRUE(w->transport().neighbours_button->isVisible());
  w->transport().setMinimumWidth(0);
  w->transport().resize(430, w->transport().height());
  w->transport().layout()->activate();
  EXPECT_FALSE(w->transport().neighbours_button->isVisible());
  EXPECT_TRUE(place->text().contains("frame 1 of 48")) << place->text().toStdString();
  EXPECT_LE(place->fontMetrics().horizontalAdvance(place->text()), place->width());
  w->transport().resize(900, w->transport().height());
  EXPECT_TRUE(w->transport().neighbours_button->isVisible());
}

TEST_F(Window, SaysWhatIsWrongWithAnEmptyFolder) {
  fs::create_directories(dir / "nothing");
  w->open(dir / "nothing");
  QMessageBox* box = nullptr;
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return (box = w->findChild<QMessageBox*>("problem")) != nullptr; }, 10000));
  EXPECT_NE(box->text().indexOf("nothing"), -1);
  EXPECT_FALSE(session->document.is_open());
  box->close();
}

TEST_F(Window, ADamagedFrameIsMarkedAndTheRestGoesOn) {
  fs::copy(harbour().folder, dir / "h", fs::copy_options::recursive);
  const auto name = scan_folder(dir / "h")->frames[9].file;
  fs::resize_file(dir / "h" / name, fs::file_size(dir / "h" / name) / 2);
  open(dir / "h");
  EXPECT_FALSE(session->document.shoot().sequence.frames[9].usable());
  EXPECT_EQ(film_frames(session->document.shoot()).size(), 47u);
  EXPECT_TRUE(w->rail().attention(0));
}

TEST_F(Window, EveryShortcutIsListedOnce) {
  QStringList seen;
  for (auto* menu : w->menus().actions())
    for (auto* a : menu->menu()->actions())
      if (!a->shortcut().isEmpty()) seen << a->shortcut().toString();
  EXPECT_GT(seen.size(), 25);
  QStringList unique = seen;
  unique.removeDuplicates();
  EXPECT_EQ(unique.size(), seen.size());
}

}  // namespace
}  // namespace tsukimi::app

int main(int argc, char** argv) {
  ::testing::InitGoogleTest(&argc, argv);
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication application(argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  QApplication::setOrganizationName("tsukimi-tests");
  // A name of its own: tests that run side by side must not clear each other's autosaves.
  QApplication::setApplicationName(
      QString("tsukimi-tests-%1").arg(QCoreApplication::applicationPid()));
  tsukimi::app::apply_style(application);
  const int result = RUN_ALL_TESTS();
  return result;
}
