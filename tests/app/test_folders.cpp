// SPDX-License-Identifier: GPL-3.0-or-later
// Ordinary folders, one after the other, as a stranger opens them: nothing prepared, nothing
// cached.
#include <QElapsedTimer>

#include "folder/sequence.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

// Five shoots of their own light, two of them as JPEG.
const std::vector<fs::path>& folders() {
  static const TempDir dir;
  static const std::vector<fs::path> all = [] {
    std::vector<fs::path> out;
    for (int i = 0; i < 5; ++i) {
      sim::SimulateOptions o;
      o.camera.frames = 40;
      o.camera.seed = static_cast<std::uint32_t>(300 + i);
      o.camera.from = 0.15 * i;
      o.camera.to = o.camera.from + 0.3;
      o.size = {600, 400};
      o.folder = dir / ("shoot " + std::to_string(i));
      if (const auto ok = sim::simulate(o); !ok) throw std::runtime_error(ok.error().message);
      out.push_back(o.folder);
      if (i % 2 == 0) continue;
      auto shoot = *start_shoot(make_sequence(*read_folder(o.folder), {}));
      shoot.decisions.output.folder = (dir / ("stills " + std::to_string(i))).string();
      shoot.decisions.output.pattern = "still_####";
      if (const auto ok = test::exported(shoot); !ok) throw std::runtime_error(ok.error().message);
      out.back() = shoot.decisions.output.folder;
    }
    return out;
  }();
  return all;
}

// As the picture of its first frame is, by another way than the window's: mean green of 0..255.
double brightness_of(const fs::path& folder) {
  const auto shoot = *start_shoot(make_sequence(*read_folder(folder), {}));
  auto recipe = as_shot_recipe(shoot, 0);
  const Image image = *develop_film_frame(recipe);
  double sum = 0;
  for (float v : image.planes[1].data) sum += 255 * std::pow(std::clamp(v, 0.0f, 1.0f), 1 / 2.2f);
  return sum / static_cast<double>(image.planes[1].data.size());
}

class Folders : public Window {
 protected:
  int caches = 0;
  void TearDown() override {
    Window::TearDown();
    test::own_folders.use();
  }
  void empty_cache() {
    setenv("XDG_CACHE_HOME", (dir / ("cache " + std::to_string(++caches))).c_str(), 1);
  }
  void open_and_see(const fs::path& folder) {
    w->open(folder);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return session->document.is_open() && session->document.path() == folder; }, 20000));
    QElapsedTimer since;
    since.start();
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
          (void)w->picture().grab();
          return !w->picture().shown().picture().image.isNull() &&
                 w->picture().shown().is_as_asked();
        },
        5000));
    // Within a second on a machine that has nothing else to do.
    EXPECT_LT(since.elapsed(), 4000) << folder << " shows no picture";
    EXPECT_NEAR(brightness(), brightness_of(folder), 8) << folder;
    // Somebody leafs in it before the next one is opened.
    key(Qt::Key_End);
    ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().is_as_asked(); }, 5000));
  }
};

TEST_F(Folders, OneAfterTheOtherShowAPicture) {
  for (const auto& folder : folders()) {
    empty_cache();
    open_and_see(folder);
  }
}

// Before the one before has shown anything, or while it is measured.
TEST_F(Folders, InARowShowThePictureOfTheLast) {
  for (int round = 0; round < 3; ++round) {
    empty_cache();
    for (std::size_t k = 0; k < folders().size(); ++k) {
      w->open(folders()[k]);
      ASSERT_TRUE(QTest::qWaitFor(
          [&] { return session->document.is_open() && session->document.path() == folders()[k]; },
          20000));
      (void)w->picture().grab();  // asks for its picture, and is left before that is there
    }
    open_and_see(folders()[static_cast<std::size_t>(round)]);
  }
}

// Asked for while that of the folder before is still being made, which nobody waits for any more.
TEST_F(Folders, APictureOfTheOneBeforeThatIsNotReadyYetIsNoObstacle) {
  Preview preview(*session);  // nobody else asks it
  preview.set_view(true, {900, 600}, {900, 600});
  for (std::size_t k = 0; k < folders().size(); ++k) {
    session->document.take(*start_shoot(make_sequence(*read_folder(folders()[k]), {})), {});
    (void)preview.get(Moment{0}, Rendering::live);
  }
  EXPECT_TRUE(QTest::qWaitFor([&] { return preview.has(Moment{0}, Rendering::live); }, 3000));
}

}  // namespace
}  // namespace tsukimi::app
