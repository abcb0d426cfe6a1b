// SPDX-License-Identifier: GPL-3.0-or-later
// How time runs in the film: speed, length, blur, gaps and fades.
#include <gtest/gtest.h>

#include "core/cli_runner.h"
#include "document/courses.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/compose.h"
#include "film/fade.h"
#include "film/film.h"
#include "motion/optical_flow.h"

namespace tsukimi {
namespace {

// Frames that are not on any disk.
Shoot made_up(int frames) {
  Shoot s;
  for (int i = 0; i < frames; ++i) {
    FrameInfo f;
    f.file = "f" + std::to_string(i);
    f.size = {300, 200};
    f.time = 1e9 + 20 * i;
    f.id = static_cast<FrameId>(i);
    s.sequence.frames.push_back(f);
    s.sequence.places.push_back(i);
  }
  s.sequence.size = {300, 200};
  return s;
}

void set_speed(Shoot& s, const std::vector<std::pair<int, double>>& keys) {
  s.decisions.pace.speed.keys.clear();
  for (const auto& [frame, speed] : keys)
    s.decisions.pace.speed.at(s.sequence.id_of(frame), presets(kPace)).values[Param::speed] = speed;
}

// Where a frame of the film is, in frames of the sequence.
double place_of(const FilmFrame& f) {
  double out = 0;
  for (const FilmPart& p : f.parts) out += p.weight * p.at;
  return out;
}

TEST(Pace, LengthsAreExactForEveryRateAndSpeed) {
  for (int frames : {1, 2, 59, 180, 1001})
    for (double speed : {0.05, 0.1, 0.25, 0.3, 0.5, 1.0, 1.5, 2.0, 3.0, 7.0, 20.0}) {
      Shoot s = made_up(frames);
      set_speed(s, {{0, speed}});
      const auto film = film_frames(s);
      const int wanted = static_cast<int>(std::floor((frames - 1) / speed + 1e-9)) + 1;
      ASSERT_EQ(static_cast<int>(film.size()), wanted) << frames << " at " << speed;
      EXPECT_EQ(film_length(s), wanted);
      EXPECT_EQ(film.front().parts[0].frame, 0);
      for (int k = 0; k < wanted; k += 7) EXPECT_EQ(film[static_cast<std::size_t>(k)].time, k);
      if (speed < 1) {
        EXPECT_NEAR(place_of(film.back()), (wanted - 1) * speed, 1e-6);
      }
    }
  for (double fps : {12.0, 23.976, 24.0, 25.0, 30.0, 50.0, 60.0})
    for (double seconds : {0.5, 3.0, 7.5, 12.34, 60.0}) {
      Shoot s = made_up(90);
      s.decisions.fps = fps;
      s.decisions.pace.length = seconds;
      set_speed(s, {{0, 1}, {40, 0.5}, {89, 3}});
      const auto film = film_frames(s);
      ASSERT_EQ(static_cast<int>(film.size()), std::lround(seconds * fps));
      EXPECT_NEAR(place_of(film.back()), 89, 1e-6) << "from the first frame to the last";
      for (std::size_t k = 1; k < film.size(); ++k) EXPECT_GE(film[k].frame, film[k - 1].frame);
    }
}

TEST(Pace, AsShotEveryFrameIsItself) {
  const Shoot s = made_up(20);
  const auto film = film_frames(s);
  ASSERT_EQ(film.size(), 20u);
  for (int k = 0; k < 20; ++k) {
    FilmFrame wanted = itself(k, k);
    wanted.parts[0].at = k;
    EXPECT_EQ(film[static_cast<std::size_t>(k)], wanted);
  }
}

TEST(Pace, FasterFramesAreSkippedOrAveraged) {
  Shoot s = made_up(21);
  set_speed(s, {{0, 4}});
  auto film = film_frames(s);
  ASSERT_EQ(film.size(), 6u);
  EXPECT_EQ(film[2].parts.size(), 1u);
  EXPECT_EQ(film[2].frame, 8);
  s.decisions.pace.faster = Faster::average;
  film = film_frames(s);
  ASSERT_EQ(film[2].parts.size(), 5u);
  EXPECT_EQ(film[2].parts[0].frame, 6);
  EXPECT_NEAR(film[2].parts[0].weight, 0.125, 1e-9);
  EXPECT_NEAR(film[2].parts[2].weight, 0.25, 1e-9);
  // At the ends there is less to average.
  EXPECT_EQ(film[0].parts.size(), 3u);
  for (const FilmFrame& f : film) {
    double all = 0;
    for (const FilmPart& p : f.parts) all += p.weight;
    EXPECT_NEAR(all, 1, 1e-9);
  }
}

TEST(Pace, SlowerFramesAreMadeBetween) {
  Shoot s = made_up(5);
  set_speed(s, {{0, 0.25}});
  auto film = film_frames(s);
  ASSERT_EQ(film.size(), 17u);
  EXPECT_EQ(film[8].parts.size(), 1u) << "where a frame stands it is itself";
  EXPECT_EQ(film[9].how, Composition::between);
  EXPECT_EQ(film[9].parts[0].frame, 2);
  EXPECT_EQ(film[9].parts[1].frame, 3);
  EXPECT_NEAR(film[9].parts[1].weight, 0.25, 1e-9);
  s.decisions.pace.slower = Slower::dissolve;
  EXPECT_EQ(film_frames(s)[9].how, Composition::average);
  s.decisions.pace.slower = Slower::repeat;
  film = film_frames(s);
  EXPECT_EQ(film[9].parts.size(), 1u);
  EXPECT_EQ(film[9].frame, 2);
  EXPECT_EQ(film[11].frame, 3);
}

TEST(Pace, ASpeedRunSlowsDownBetweenItsKeyFrames) {
  Shoot s = made_up(180);
  set_speed(s, {{0, 1}, {90, 0.5}, {179, 1}});
  const auto film = film_frames(s);
  const Course speed = course_of(s, {kPace});
  double frames = 1;
  for (double at = 0.005; at < 179; at += 0.01) frames += 0.01 / speed.at_place(Param::speed, at);
  EXPECT_NEAR(static_cast<double>(film.size()), frames, 1);
  double least = 9;
  std::size_t at = 0;
  for (std::size_t k = 1; k < film.size(); ++k) {
    const double step = place_of(film[k]) - place_of(film[k - 1]);
    EXPECT_GT(step, 0.49);
    EXPECT_LT(step, 1.01);
    if (step < least) least = step, at = k;
  }
  EXPECT_NEAR(place_of(film[at]), 90, 4);
  // From frames to the film's time and back.
  const FilmFrames all(s);
  for (int i = 0; i < 180; ++i) {
    const auto here = all.at(i);
    ASSERT_TRUE(here);
    EXPECT_EQ(here->frame, i);
    EXPECT_NEAR(here->time, all.time(i), 1e-9);
    if (i > 0) {
      EXPECT_GT(all.time(i), all.time(i - 1));
    }
  }
}

TEST(Pace, TheShutterIsOpenForItsAngle) {
  Shoot s = made_up(30);
  s.decisions.pace.blur = 720;
  auto film = film_frames(s);
  ASSERT_EQ(film.size(), 30u);
  ASSERT_EQ(film[10].parts.size(), 3u);
  EXPECT_NEAR(film[10].parts[1].weight, 0.5, 1e-9);
  EXPECT_NEAR(film[10].parts[0].weight, 0.25, 1e-9);
  s.decisions.pace.blur = 360;
  film = film_frames(s);
  EXPECT_NEAR(film[10].parts[1].weight, 0.75, 1e-9);
  EXPECT_NEAR(place_of(film[10]), 10, 1e-9);
  s.decisions.pace.blur_along = true;
  film = film_frames(s);
  EXPECT_EQ(film[10].how, Composition::swept);
  EXPECT_NEAR(film[10].open, 9.5, 1e-9);
  EXPECT_NEAR(film[10].shut, 10.5, 1e-9);
}

TEST(Pace, GapsAreClosedKeptOrFilled) {
  Shoot s = made_up(10);
  s.sequence.gaps = {{4, 3, true, true}};
  EXPECT_EQ(film_length(s), 10);
  s.decisions.pace.gaps = GapPolicy::hold;
  auto film = film_frames(s);
  ASSERT_EQ(film.size(), 13u);
  for (std::size_t k : {4, 5, 6, 7}) {
    EXPECT_EQ(film[k].frame, 4);
    EXPECT_EQ(film[k].parts.size(), 1u);
  }
  EXPECT_EQ(film[8].frame, 5);
  s.decisions.pace.blur = 360;  // a picture that stands still has no blur
  EXPECT_EQ(film_frames(s)[6].parts.size(), 1u);
  s.decisions.pace.blur = 0;
  s.decisions.pace.gaps = GapPolicy::fill;
  film = film_frames(s);
  ASSERT_EQ(film.size(), 13u);
  EXPECT_EQ(film[5].how, Composition::between);
  EXPECT_EQ(film[5].parts[0].frame, 4);
  EXPECT_EQ(film[5].parts[1].frame, 5);
  EXPECT_NEAR(film[5].parts[1].weight, 0.25, 1e-9);
  EXPECT_FALSE(film[5].replaces);
  // With frames set aside and trims.
  set_aside(s, {7}, true);
  s.decisions.in = 2;
  film = film_frames(s);
  ASSERT_EQ(film.size(), 11u);
  EXPECT_TRUE(film[8].replaces);
  EXPECT_EQ(film[8].frame, 7);
  // And with speed: no frame goes missing, none comes twice.
  set_speed(s, {{2, 0.5}});
  EXPECT_EQ(film_length(s), 21);
}

TEST(Pace, FadesRunInStopsAndEndInBlackOrWhite) {
  Shoot s = made_up(48);
  s.decisions.pace.fade_in = 0.5;
  s.decisions.pace.fade_out = 1;
  auto film = film_frames(s);
  EXPECT_EQ(film[0].fade, -1);
  EXPECT_NEAR(film[6].fade, -0.5, 1e-9);
  EXPECT_EQ(film[12].fade, 0);
  EXPECT_EQ(film[23].fade, 0);
  EXPECT_EQ(film[47].fade, -1);
  s.decisions.pace.fade_white = true;
  EXPECT_EQ(film_frames(s)[0].fade, 1);
  auto faded = [](double amount) {
    Image image(1, 1);
    for (auto& p : image.planes) p.data = {0.4f};
    fade(image, amount);
    return image.planes[1].data[0];
  };
  EXPECT_EQ(faded(0), 0.4f);
  EXPECT_EQ(faded(-1), 0);
  EXPECT_GE(faded(1), 1);
  for (double a = 0; a < 0.6; a += 0.1)  // even steps to the eye, while there is much left
    EXPECT_NEAR(std::log2(faded(-a) / faded(-a - 0.1)), 0.1 * kFadeStops, 0.2) << a;
}

// ---

Image moving(double at, Size size = {320, 200}) {
  Image out(size.width, size.height);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < size.height; ++y)
      for (int x = 0; x < size.width; ++x) {
        const double stripes = 0.3 + 0.1 * std::sin(0.21 * x + 0.13 * y) + 0.05 * std::sin(0.5 * y);
        const double dx = x - at, dy = y - 100;
        const double boat = dx * dx / 900 + dy * dy / 225 < 1 ? 0.5 + 0.2 * std::sin(0.4 * dx) : 0;
        out.planes[c].at(x, y) = static_cast<float>(boat > 0 ? boat : stripes);
      }
  return out;
}

TEST(Pace, BlurOfEqualFramesIsThatFrameAndAlongTheMotionNothingIsDoubled) {
  FilmRecipe r;
  for (int k = 0; k < 3; ++k) r.takes.push_back({{}, k == 1 ? 0.5 : 0.25, static_cast<double>(k)});
  r.open = 0, r.shut = 2;
  const Image still = moving(100);
  for (Composition how : {Composition::average, Composition::swept}) {
    r.how = how;
    const Image out = *compose([&](std::size_t) -> Result<Image> { return still; }, r);
    for (int c = 0; c < 3; ++c)
      for (std::size_t i = 0; i < still.planes[c].data.size(); ++i)
        ASSERT_NEAR(out.planes[c].data[i], still.planes[c].data[i], 1e-5);
  }
  // A boat that goes 5 pixels a frame: along its way it is spread evenly.
  auto boat = [&](std::size_t k) -> Result<Image> {
    return moving(90 + 5 * static_cast<double>(k));
  };
  r.how = Composition::swept;
  const Image along = *compose(boat, r);
  r.how = Composition::average;
  const Image mean = *compose(boat, r);
  Image truth(320, 200);
  for (auto& plane : truth.planes) std::ranges::fill(plane.data, 0.0f);
  for (int k = 0; k < 48; ++k) {
    const Image one = moving(90 + 10 * (k + 0.5) / 48);
    for (int c = 0; c < 3; ++c)
      for (std::size_t i = 0; i < one.planes[c].data.size(); ++i)
        truth.planes[c].data[i] += one.planes[c].data[i] / 48;
  }
  auto off = [&](const Image& image) {
    double sum = 0;
    for (std::size_t i = 0; i < truth.planes[1].data.size(); ++i)
      sum += std::pow(image.planes[1].data[i] - truth.planes[1].data[i], 2);
    return sum;
  };
  EXPECT_LT(off(along), 0.5 * off(mean));
}

TEST(Pace, IsKeptInTheFileAndDamageIsNamed) {
  TempDir dir;
  const std::string file = (dir / "a.tsukimi").string(),
                    plan =
                        "plan --overwrite " + test::shot_folder().string() + " --out " + file + " ";
  ASSERT_EQ(test::run(plan + "--speed '0:1;6:0.5;11:2' --blur 180 --blur-along --fade-in 0.2 "
                             "--fade-out 0.1 --fade-to white --faster average --slower dissolve "
                             "--gaps keep --fit-length 2 --fps 30")
                .code,
            0);
  const auto s = open_shoot(file);
  ASSERT_TRUE(s);
  const Pace& p = s->decisions.pace;
  ASSERT_EQ(p.speed.keys.size(), 3u);
  EXPECT_EQ(p.speed.keys[1].values[Param::speed], 0.5);
  EXPECT_EQ(p.blur, 180);
  EXPECT_TRUE(p.blur_along && p.fade_white);
  EXPECT_EQ(p.fade_in, 0.2);
  EXPECT_EQ(p.fade_out, 0.1);
  EXPECT_EQ(p.faster, Faster::average);
  EXPECT_EQ(p.slower, Slower::dissolve);
  EXPECT_EQ(p.gaps, GapPolicy::hold);
  EXPECT_EQ(film_length(*s), 60);
  ASSERT_TRUE(save_shoot(*s, dir / "b.tsukimi"));
  EXPECT_EQ(open_shoot(dir / "b.tsukimi")->decisions, s->decisions);
  for (const char* wrong : {"--speed 0", "--speed fast", "--speed '0:1;x:2'", "--speed '0:1;5'",
                            "--blur 800", "--fade-in -1", "--fit-length 0", "--gaps leave"})
    EXPECT_EQ(test::run(plan + wrong).code, 2) << wrong;
  for (const char* wrong : {"--speed '0:1;99:2'", "--speed '0:1;0:2'"}) {
    const auto r = test::run(plan + wrong);
    EXPECT_EQ(r.code, 1) << wrong;
    test::expect_one_line(r, "--speed");
  }
  std::ifstream in(file);
  const auto whole = nlohmann::json::parse(in);
  auto refused = [&](const std::function<void(nlohmann::json&)>& damage, const char* word) {
    auto j = whole;
    damage(j["decisions"]["pace"]);
    std::ofstream(dir / "c.tsukimi") << j.dump();
    const auto r = open_shoot(dir / "c.tsukimi");
    ASSERT_FALSE(r) << word;
    EXPECT_NE(r.error().message.find(word), std::string::npos) << r.error().message;
  };
  refused([](auto& j) { j["speed"][0]["speed"] = 0; }, "speed[0].speed");
  refused([](auto& j) { j["blur"] = 721; }, "blur");
  refused([](auto& j) { j["fade_to"] = "red"; }, "fade_to");
  refused([](auto& j) { j.erase("gaps"); }, "gaps");
  refused([](auto& j) { j["tempo"] = 1; }, "tempo");
}

// The export has as many frames as is said, and what lies between is made from both.
TEST(Pace, AnExportHasTheFramesThatWereSaid) {
  TempDir dir;
  const std::string file = (dir / "a.tsukimi").string();
  ASSERT_EQ(test::run("plan --overwrite " + test::shot_folder().string() + " --out " + file +
                      " --speed 0.5 --in 2 --out 6 --fade-in 0.1")
                .code,
            0);
  Shoot s = *open_shoot(file);
  s.decisions.output.folder = (dir / "made").string();
  s.decisions.output.pattern = "f_##";
  const auto made = test::exported(s);
  ASSERT_TRUE(made) << made.error().message;
  EXPECT_EQ(made->written, 9);
  EXPECT_TRUE(fs::exists(dir / "made" / "f_09.jpg"));
  EXPECT_FALSE(fs::exists(dir / "made" / "f_10.jpg"));
}

}  // namespace
}  // namespace tsukimi
