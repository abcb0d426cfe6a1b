// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails and stars that are held, in the window.
#include <QRadioButton>
#include <QSpinBox>

#include "sky/sky_fit.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

// A night of the harbour, shot once.
const fs::path& night_folder() {
  static const TempDir dir;
  static const fs::path folder = [] {
    sim::SimulateOptions o;
    o.folder = dir / "night";
    o.size = {600, 400};
    o.camera.frames = 40;
    o.camera.interval = 40;
    o.camera.seed = 711;
    o.camera.night = true;
    o.camera.steps = o.camera.flicker = o.camera.wrong_aperture = o.camera.ruined = false;
    o.camera.wobble = o.camera.gap = o.camera.dust = o.camera.hot_pixels = false;
    o.night = sim::NightOptions{};
    EXPECT_TRUE(sim::simulate(o));
    return o.folder;
  }();
  return folder;
}

}  // namespace

class Night : public Window {
 protected:
  void open_night() {
    open(night_folder());
    w->open_drawer(DrawerId::stack);
    click(find<QToolButton>("stack_trails"));
  }
  const Trails& trails() { return session->document.decisions().trails; }
  void choose(const char* name, int index) {
    auto* box = find<QComboBox>(name);
    box->setCurrentIndex(index);
    emit box->activated(index);
  }
  // Until nothing is on its way, trails too.
  bool at_rest() {
    return QTest::qWaitFor(
        [&] {
          (void)w->picture().grab();  // what is ready may not have been painted yet
          return session->tasks.idle() && w->picture().shown().at_rest() &&
                 !w->picture().shown().picture().lacks_trail;
        },
        60000);
  }
  QImage seen() {
    (void)w->picture().grab();
    return w->picture().shown().picture().image;
  }
};

TEST_F(Night, TrailsGrowInThePictureAndAreUndone) {
  open_night();
  ASSERT_TRUE(at_rest());
  const double begin = brightness();
  session->playhead.set_frame(39);
  ASSERT_TRUE(at_rest());
  const double points = brightness();
  choose("trails", static_cast<int>(TrailKind::grow));
  EXPECT_EQ(trails().kind, TrailKind::grow);
  ASSERT_TRUE(at_rest());
  const double grown = brightness();
  EXPECT_GT(grown, points + 1);
  // The first frame has none.
  session->playhead.set_frame(0);
  ASSERT_TRUE(at_rest());
  EXPECT_NEAR(brightness(), begin, 0.05);
  session->playhead.set_frame(39);
  ASSERT_TRUE(at_rest());
  EXPECT_NEAR(brightness(), grown, 0.05);
  choose("trail_way", 1);
  EXPECT_TRUE(trails().falls_back);
  ASSERT_TRUE(at_rest());
  EXPECT_NEAR(brightness(), points, 1) << "of the last frame nothing is left to come";
  session->document.undo().undo();
  session->document.undo().undo();
  EXPECT_EQ(trails().kind, TrailKind::none);
  ASSERT_TRUE(at_rest());
  EXPECT_NEAR(brightness(), points, 0.05);
}

TEST_F(Night, TheSkyIsFoundAndTheGroundStays) {
  open_night();
  choose("trails", static_cast<int>(TrailKind::grow));
  EXPECT_FALSE(find<QCheckBox>("keep_out")->isEnabled()) << "nobody said what is sky";
  click(find<QPushButton>("find_sky"));
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session->tasks.idle() && !session->document.decisions().places.empty(); },
      60000));
  ASSERT_TRUE(session->document.shoot().sky);
  EXPECT_TRUE(session->document.shoot().sky->found());
  EXPECT_EQ(session->document.decisions().places.size(), 1u);
  EXPECT_TRUE(session->document.decisions().places[0].sky);
  EXPECT_EQ(find<QComboBox>("trail_sky")->currentText(), "Sky");
  toggle("keep_out");
  EXPECT_TRUE(trails().keep_out);
  toggle("close_gaps");
  EXPECT_FALSE(trails().close_gaps);
  // Below the horizon the picture is that of the frame.
  session->playhead.set_frame(39);
  ASSERT_TRUE(at_rest());
  const QImage with = seen();
  choose("trails", 0);
  ASSERT_TRUE(at_rest());
  const QImage without = seen();
  ASSERT_EQ(with.size(), without.size());
  int above = 0, below = 0;
  for (int y = 0; y < with.height(); ++y)
    for (int x = 0; x < with.width(); x += 3) {
      const int off = std::abs(qGreen(with.pixel(x, y)) - qGreen(without.pixel(x, y)));
      if (y < with.height() * 0.2) above += off > 8;
      if (y > with.height() * 0.7) below += off > 8;
    }
  EXPECT_GT(above, 100);
  EXPECT_LT(below, 5);
  choose("trails", 1);
  choose("trail_sky", 0);
  EXPECT_FALSE(session->document.decisions().places[0].sky);
}

TEST_F(Night, TailsHaveALengthWithKeyFrames) {
  open_night();
  choose("trails", static_cast<int>(TrailKind::comet));
  EXPECT_EQ(session->keys.target(), KeyTarget{kTrails});
  auto* length = find<Ruler>("length");
  ASSERT_TRUE(length->isVisible());
  session->playhead.set_frame(10);
  click(find<QPushButton>("toggle_trail_key"));
  EXPECT_EQ(key_places(session->document.shoot(), {kTrails}), std::vector<int>{10});
  session->playhead.set_frame(30);
  const QPoint at = length->scale_rect().center();
  drag(length, at, at - QPoint(30, 0));
  EXPECT_EQ(key_places(session->document.shoot(), {kTrails}), (std::vector<int>{10, 30}));
  EXPECT_GT(trails().values.keys[1].values[Param::trail_length],
            trails().values.keys[0].values[Param::trail_length] + 5);
  choose("trail_unit", 1);
  EXPECT_EQ(trails().unit, TrailUnit::minutes);
  find<QSpinBox>("trail_every")->setValue(4);
  EXPECT_EQ(trails().every, 4);
  // Key frames in hand are the look's again when another drawer is open.
  w->open_drawer(DrawerId::look);
  EXPECT_EQ(session->keys.target(), KeyTarget{});
}

TEST_F(Night, TheLastFrameIsWrittenAsAPicture) {
  open_night();
  session->document.edit("small", [](Shoot& s) {
    s.decisions.output.format = FileFormat::tiff16;
    s.decisions.output.pixels.exact = {150, 100};
  });
  choose("trails", static_cast<int>(TrailKind::grow));
  ASSERT_TRUE(at_rest());
  click(find<QPushButton>("write_last"));
  const QueuedJob job = exported();
  EXPECT_EQ(job.state, JobState::done) << job.problem;
  const fs::path file = night_folder().parent_path() / "night-last" / "last_frame_00040.tif";
  EXPECT_TRUE(fs::exists(file));
  fs::remove_all(file.parent_path());
}

TEST_F(Night, TheStarsAreHeldAndWhatThatCostsIsSaid) {
  open_night();
  w->open_drawer(DrawerId::framing);
  click(find<QToolButton>("framing_steady"));
  click(find<QRadioButton>("steady_stars"), QPoint(10, 10));
  EXPECT_EQ(session->document.decisions().framing.steady.how, Steadying::stars);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session->tasks.idle() && session->document.courses().framing.holds_stars(); },
      60000));
  EXPECT_LT(session->document.courses().framing.fit(), 0.99);
  auto* hold = find<Ruler>("hold");
  ASSERT_TRUE(hold->isVisible());
  EXPECT_EQ(hold->value(), 100);
  EXPECT_EQ(session->keys.target(), KeyTarget{kStarHold});
  EXPECT_FALSE(find<QPushButton>("follow_area")->isVisible());
  bool said = false;
  for (const QLabel* label : w->findChildren<QLabel*>())
    said = said || (label->isVisible() && label->text().contains("smaller for steadying"));
  EXPECT_TRUE(said);
  click(find<QRadioButton>("steady_off"), QPoint(10, 10));
  EXPECT_FALSE(session->document.courses().framing.holds_stars());
}

TEST_F(Night, APlaceFollowsTheStars) {
  open_night();
  w->open_drawer(DrawerId::places);
  click(find<QPushButton>("add_ellipse"));
  click(find<QToolButton>("place_page_mask"));
  toggle("follow_stars");
  EXPECT_EQ(session->document.decisions().places[0].follow, Follow::stars);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session->tasks.idle() && session->document.shoot().sky; }, 60000));
  const auto middle = [&](int frame) {
    return session->document.courses().places[0].whole(frame).shapes[0].values[Param::centre_y];
  };
  EXPECT_GT(std::fabs(middle(39) - middle(0)), 0.01);
  toggle("follow");
  EXPECT_EQ(session->document.decisions().places[0].follow, Follow::picture);
  EXPECT_FALSE(find<QCheckBox>("follow_stars")->isChecked());
}

// A shoot without stars: a sentence, and nothing is turned.
TEST_F(Night, WhereNoStarsAreTheDrawerSaysSo) {
  open();
  w->open_drawer(DrawerId::framing);
  click(find<QToolButton>("framing_steady"));
  click(find<QRadioButton>("steady_stars"), QPoint(10, 10));
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session->tasks.idle() && session->document.shoot().sky; }, 60000));
  EXPECT_FALSE(session->document.shoot().sky->found());
  EXPECT_FALSE(session->document.courses().framing.holds_stars());
  bool said = false;
  for (const QLabel* label : w->findChildren<QLabel*>())
    said = said || (label->isVisible() && label->text().contains("not known how the sky turns"));
  EXPECT_TRUE(said || session->document.shoot().sky->problem == SkyProblem::stands ||
              session->document.shoot().sky->problem == SkyProblem::few_stars);
}

}  // namespace tsukimi::app
