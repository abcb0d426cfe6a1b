// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs: what is covered and divided out against the truth, over time, in files and by the
// command line; dust that is found against the simulator's.
#include <gtest/gtest.h>

#include "core/cli_runner.h"
#include "develop/cover.h"
#include "develop/develop.h"
#include "develop/mend.h"
#include "develop/quilt_light.h"
#include "develop/time_patch.h"
#include "document/files/repairs_json.h"
#include "document/files/shoot_file.h"
#include "film/film.h"
#include "film/other_frames.h"
#include "find_repairs/find_repairs.h"
#include "sim/camera.h"
#include "sim/dng_writer.h"
#include "sim/light_mosaic.h"
#include "sim/scene.h"
#include "support.h"

namespace tsukimi {
namespace {

constexpr Size kSize{300, 200};

// Light that runs smoothly over the picture, with a texture.
float smooth_light(double x, double y) {
  return static_cast<float>(0.2 + 0.2 * x / kSize.width + 0.1 * y / kSize.height +
                            0.004 * std::sin(0.9 * x) * std::cos(0.8 * y));
}

SensorFrame smooth_frame() {
  SensorFrame f;
  Plane light(kSize.width, kSize.height);
  for (int y = 0; y < kSize.height; ++y)
    for (int x = 0; x < kSize.width; ++x) light.at(x, y) = smooth_light(x, y);
  f.mosaic = sim::mosaic_of(light, {0, 1, 1, 2});
  f.colour = sim::camera_colour();
  return f;
}

// The numbers of a mosaic as light, changed at will.
SensorFrame changed(const SensorFrame& f, const std::function<float(int, int, float)>& change) {
  Plane light(kSize.width, kSize.height);
  for (int y = 0; y < kSize.height; ++y)
    for (int x = 0; x < kSize.width; ++x) light.at(x, y) = change(x, y, f.mosaic.light(x, y));
  SensorFrame out = f;
  out.mosaic = sim::mosaic_of(light, {0, 1, 1, 2});
  return out;
}

double largest_error(const SensorFrame& f, const std::function<bool(int, int)>& where) {
  double most = 0;
  for (int y = 0; y < kSize.height; ++y)
    for (int x = 0; x < kSize.width; ++x)
      if (where(x, y))
        most = std::max(most, std::fabs(f.mosaic.light(x, y) / smooth_light(x, y) - 1.0));
  return most;
}

bool anywhere(int, int) { return true; }

RepairAt spot_at(double x, double y, double radius, double from_x, double from_y) {
  return {{SpotAt{{x / kSize.width, y / kSize.height},
                  {from_x / kSize.width, from_y / kSize.height},
                  radius / kSize.width}}};
}

RepairAt dust_at(double x, double y, double radius, double strength) {
  return {{DustAt{{x / kSize.width, y / kSize.height}, radius / kSize.width, strength}}};
}

TEST(Repairs, DustIsDividedOutAndWhatIsBelowItStays) {
  const SensorFrame clean = smooth_frame();
  SensorFrame dusty = changed(clean, [](int x, int y, float v) {
    const double q = ((x + 0.5 - 150) * (x + 0.5 - 150) + (y + 0.5 - 90) * (y + 0.5 - 90)) / 64.0;
    return static_cast<float>(v * (1 - 0.25 * std::exp(-q)));
  });
  EXPECT_GT(largest_error(dusty, anywhere), 0.2);
  mend(dusty, {dust_at(150, 90, 8, 0.25)});
  EXPECT_LT(largest_error(dusty, anywhere), 0.003) << "also the texture below it";
  // Whatever its profile, at the border too.
  for (const auto& [x0, y0, falloff] :
       {std::tuple{150.0, 90.0, 5.0}, {3.0, 60.0, 2.0}, {299.0, 199.0, 1.5}}) {
    SensorFrame other = changed(clean, [&](int x, int y, float v) {
      const double d = std::hypot(x + 0.5 - x0, y + 0.5 - y0) / 8;
      return static_cast<float>(v * (1 - 0.4 * std::exp(-std::pow(d, falloff))));
    });
    EXPECT_GT(largest_error(other, anywhere), 0.3);
    RepairAt shadow = dust_at(x0, y0, 8, 0.4);
    shadow.dust()->falloff = falloff;
    mend(other, {shadow});
    EXPECT_LT(largest_error(other, anywhere), 0.004) << falloff;
  }
  // The original numbers are as they were: others may hold them.
  EXPECT_LT(largest_error(clean, anywhere), 0.003);
  // What clipped stays clipped.
  SensorFrame bright = changed(clean, [](int, int, float) { return 1.0f; });
  mend(bright, {dust_at(150, 90, 8, 0.25)});
  EXPECT_NEAR(bright.mosaic.light(150, 90), 1, 1e-3);
}

// However the picture lies in the frame (as when a wobble is steadied, by parts of a pixel, or it
// is turned): what is mended lies where the dust is.
TEST(Repairs, TheyLieOnTheSensorWhereverThePictureLies) {
  const SensorFrame clean = smooth_frame();
  const SensorFrame dusty = changed(clean, [](int x, int y, float v) {
    const double dx = x + 0.5 - 150, dy = y + 0.5 - 90;
    return v * static_cast<float>(1 - 0.25 * std::exp(-(dx * dx + dy * dy) / 64));
  });
  for (const auto& [dx, dy, turn] :
       {std::tuple{0.37, -0.61, 0.0}, {5.2, 3.4, 0.0}, {1.1, 0.3, 0.02}}) {
    PictureRecipe recipe;
    recipe.look = neutral_look(5600, 0);
    recipe.placement = Placement(Rect{0.1 + dx / kSize.width, 0.1 + dy / kSize.height, 0.8, 0.8},
                                 {kSize.width * 4 / 5, kSize.height * 4 / 5});
    recipe.placement.right.y = 0.8 * turn * kSize.width / kSize.height;
    recipe.placement.down.x = -0.8 * turn * kSize.height / kSize.width;
    const Image truth = develop_frame(SensorFrame(clean), recipe);
    const Image without = develop_frame(SensorFrame(dusty), recipe);
    recipe.repairs = {dust_at(150, 90, 8, 0.25)};
    const Image mended = develop_frame(SensorFrame(dusty), recipe);
    double left = 0, was = 0;
    for (std::size_t i = 0; i < truth.planes[1].data.size(); ++i) {
      const double t = truth.planes[1].data[i];
      left = std::max(left, std::fabs(mended.planes[1].data[i] / t - 1));
      was = std::max(was, std::fabs(without.planes[1].data[i] / t - 1));
    }
    EXPECT_GT(was, 0.2);
    // Of a shadow with this slope a tenth of a pixel would leave 0.0027.
    EXPECT_LT(left, 0.0027) << dx << " " << dy << " " << turn;
  }
}

TEST(Repairs, ASpotIsCoveredWithoutASeam) {
  const SensorFrame clean = smooth_frame();
  SensorFrame stained = changed(clean, [](int x, int y, float v) {
    return std::hypot(x + 0.5 - 150, y + 0.5 - 90) < 9 ? 0.9f : v;
  });
  mend(stained, {spot_at(150, 90, 10, 210, 120)});
  // Light differs by a tenth between there and here; the border is met, and so is the middle.
  EXPECT_LT(largest_error(stained, anywhere), 0.03);
  for (int y = 60; y < 120; ++y)
    for (int x = 122; x < 178; x += 2)
      EXPECT_LT(std::fabs(stained.mosaic.light(x + 2, y) - stained.mosaic.light(x, y)), 0.02);
  // Red covers red: an odd way to the source is taken to the even one beside it. Red has a pattern
  // here that no other channel has.
  const SensorFrame coloured = changed(smooth_frame(), [](int x, int y, float v) {
    const bool red = x % 2 == 0 && y % 2 == 0;
    return red ? 0.1f * v * static_cast<float>(1 + (x / 2 + y / 2) % 2) : v;
  });
  SensorFrame mended = coloured;
  mend(mended, {spot_at(150, 90, 10, 211, 121)});
  for (int y = 84; y < 96; y += 2)
    for (int x = 144; x < 156; x += 2)
      EXPECT_GT(std::fabs(mended.mosaic.light(x + 2, y) - mended.mosaic.light(x, y)), 0.01);
}

TEST(Repairs, AnAreaIsCoveredAsFarAsItsStrengthSays) {
  const SensorFrame clean = smooth_frame();
  const SensorFrame stained = changed(clean, [](int x, int y, float v) {
    return x >= 140 && x < 160 && y >= 80 && y < 96 ? 0.9f : v;
  });
  AreaAt area;
  area.polygon = {{138.0 / 300, 78.0 / 200},
                  {162.0 / 300, 78.0 / 200},
                  {162.0 / 300, 98.0 / 200},
                  {138.0 / 300, 98.0 / 200}};
  area.at = middle_of(area.polygon);
  area.source = {220.0 / 300, 120.0 / 200};
  SensorFrame whole = stained, half = stained;
  mend(whole, {{{area}}});
  EXPECT_LT(largest_error(whole, anywhere), 0.03);
  area.strength = 0.5;
  mend(half, {{{area}}});
  EXPECT_NEAR(half.mosaic.light(150, 88), 0.5 * (0.9 + smooth_light(150, 88)), 0.02);
  // At the border of the frame, and with nothing there to cover it from, nothing breaks.
  for (const Point& p : {Point{0, 0}, Point{1, 1}, Point{0.5, 0}}) {
    SensorFrame edge = stained;
    mend(edge,
         {spot_at(p.x * 300, p.y * 200, 12, 150, 100), spot_at(p.x * 300, p.y * 200, 12, 299, 0)});
    for (int y = 0; y < 200; ++y)
      for (int x = 0; x < 300; ++x) ASSERT_TRUE(std::isfinite(edge.mosaic.light(x, y)));
  }
}

// A proxy is mended at the same place as the frame that it was made of, however the camera was
// held.
TEST(Repairs, ProxiesAreMendedWhereFramesAre) {
  for (int orientation : {1, 3, 6, 8}) {
    SensorFrame stained = changed(smooth_frame(), [](int x, int y, float v) {
      return std::hypot(x - 60.0, y - 50.0) < 9 ? 0.9f : v;
    });
    stained.orientation = orientation;
    const bool side = lies_on_its_side(orientation);
    const Size upright = side ? Size{kSize.height, kSize.width} : kSize;
    SpotAt r;
    r.at = upright_point({60.0 / 300, 50.0 / 200}, orientation);
    r.source = upright_point({120.0 / 300, 90.0 / 200}, orientation);
    r.radius = 11.0 / upright.width;
    PictureRecipe recipe;
    recipe.look = neutral_look(5600, 0);
    recipe.repairs = {{{r}}};
    const Proxy proxy = make_proxy(stained);
    const Image small = develop_proxy(proxy, recipe), full = develop_frame(stained, recipe);
    auto brightest = [](const Image& image) {
      float most = 0;
      for (float v : image.planes[1].data) most = std::max(most, v);
      return most;
    };
    EXPECT_LT(brightest(full), 0.55) << orientation;
    EXPECT_LT(brightest(small), 0.55) << orientation;
    recipe.repairs.clear();
    EXPECT_GT(brightest(develop_frame(stained, recipe)), 0.7) << orientation;
  }
}

// From the middle of one cell to that of the next, what covers goes over from the one to the other.
TEST(Repairs, AQuiltMixesItsCells) {
  Plane light(200, 100);
  for (int y = 0; y < 100; ++y)
    for (int x = 0; x < 200; ++x)
      light.at(x, y) = x < 100 ? (y < 50 ? 0.2f : 0.4f) : (y < 50 ? 0.6f : 0.9f);
  Channel channel;
  channel.size = {200, 100};
  channel.plane = light.data.data();
  channel.stride = 200;
  const RepairGeometry upright{{200, 100}, 1, 200};
  // Cells of 20x20 pixels from (80, 30) on, each from a quarter of its own.
  Quilt quilt;
  quilt.from = {0.4, 0.3};
  quilt.cell = {0.1, 0.2};
  quilt.columns = quilt.rows = 2;
  quilt.offsets = {{-0.3, -0.2}, {0.3, -0.2}, {-0.3, 0.2}, {0.3, 0.2}};
  quilt.which = {0, 1, 2, 3};
  const QuiltLight by(quilt, upright, channel);
  EXPECT_FLOAT_EQ(by.at(82, 32), 0.2f) << "its first half is all of the first";
  EXPECT_FLOAT_EQ(by.at(117, 32), 0.6f);
  EXPECT_FLOAT_EQ(by.at(82, 67), 0.4f);
  EXPECT_FLOAT_EQ(by.at(117, 67), 0.9f);
  for (int x = 90; x < 110; ++x) {
    const double share = (x + 0.5 - 90) / 20;
    EXPECT_NEAR(by.at(x, 32), 0.2 + 0.4 * share, 1e-5) << x;
    EXPECT_NEAR(by.at(x, 67), 0.4 + 0.5 * share, 1e-5) << x;
  }
  for (int y = 40; y < 60; ++y)
    EXPECT_NEAR(by.at(82, y), 0.2 + 0.2 * (y + 0.5 - 40) / 20, 1e-5) << y;
}

TEST(Repairs, AShadowFollowsTheAperture) {
  const std::vector<Shadow> one{{8, 0.004, 0.2}};
  EXPECT_NEAR(shadow_at(one, 11).radius, 0.004 * 8 / 11, 1e-9);
  EXPECT_NEAR(shadow_at(one, 11).strength, 0.2 * 121 / 64, 1e-9);
  EXPECT_NEAR(shadow_at(one, 0).strength, 0.2, 1e-9) << "not known: as measured";
  EXPECT_LE(shadow_at(one, 32).strength, 0.9);
  const std::vector<Shadow> two{{4, 0.008, 0.05}, {8, 0.004, 0.2}};
  EXPECT_NEAR(shadow_at(two, 8).strength, 0.2, 1e-12);
  EXPECT_NEAR(shadow_at(two, std::sqrt(32.0)).radius, 0.006, 1e-9);
}

TEST(Repairs, AnAreaComesAndGoesWithItsFrames) {
  AreaRepair r;
  r.polygon = {{0.4, 0.4}, {0.5, 0.4}, {0.5, 0.5}};
  r.fill = FillFrom::source;
  r.source = {0.7, 0.45};
  r.first = FrameId{10}, r.last = FrameId{20};
  r.fade = 2;
  std::vector<double> axis(30);
  std::vector<int> places(30);
  for (int i = 0; i < 30; ++i) axis[i] = places[i] = i;
  const RepairCourse course({{r}}, axis, places, std::vector<double>(30, 8));
  EXPECT_FALSE(course.at(9));
  EXPECT_FALSE(course.at(21));
  double before = 0;
  for (int frame = 10; frame <= 12; ++frame) {
    const double now = course.at(frame)->area()->strength;
    EXPECT_GT(now, before);
    before = now;
  }
  EXPECT_DOUBLE_EQ(before, 1);
  EXPECT_DOUBLE_EQ(course.at(18)->area()->strength, 1);
  EXPECT_LT(course.at(20)->area()->strength, 0.5);
  // At an end of the sequence there is nothing to come from or go to: there it is whole.
  r.first = r.last = FrameId::none;
  const RepairCourse always({{r}}, axis, places, std::vector<double>(30, 8));
  for (int frame : {0, 15, 29}) EXPECT_DOUBLE_EQ(always.at(frame)->area()->strength, 1) << frame;
  r.first = FrameId{10};
  const RepairCourse to_the_end({{r}}, axis, places, std::vector<double>(30, 8));
  EXPECT_LT(to_the_end.at(10)->area()->strength, 0.5);
  EXPECT_DOUBLE_EQ(to_the_end.at(29)->area()->strength, 1);
  Repair off{{r}};
  off.on = false;
  EXPECT_FALSE(RepairCourse(off, axis, places, std::vector<double>(30, 8)).at(15));
}

TEST(Repairs, ARecipeTellsWhatIsMended) {
  PictureRecipe a;
  a.look = neutral_look(5600, 0);
  std::set<std::string> texts{text_of(a)};
  auto differs = [&](const RepairAt& r) {
    a.repairs = {r};
    return texts.insert(text_of(a)).second;
  };
  EXPECT_TRUE(differs(spot_at(150, 90, 10, 210, 120)));
  EXPECT_TRUE(differs(spot_at(150, 90, 11, 210, 120)));
  EXPECT_TRUE(differs(spot_at(150, 90, 10, 212, 120)));
  EXPECT_TRUE(differs(dust_at(150, 90, 10, 0.2)));
  EXPECT_TRUE(differs(dust_at(150, 90, 10, 0.21)));
  a.film = {7, 1};
  EXPECT_TRUE(texts.insert(text_of(a)).second) << "where it stands in the film, if that counts";
}

// Movements are upright; frames lie in their files in eight ways.
TEST(Repairs, PlacesOfOtherFramesAreFoundInEveryOrientation) {
  const Similarity here{0.01, -0.004, 0.002, 0.001}, there{-0.006, 0.012, -0.003, 0.002};
  for (int orientation = 1; orientation <= 8; ++orientation) {
    const bool side = lies_on_its_side(orientation);
    const RepairGeometry g{{480, 320}, orientation, side ? 320.0 : 480.0};
    const double aspect = side ? 480.0 / 320 : 320.0 / 480;  // of the upright frame
    const PlaceIn in(g, here, there);
    for (const Point p : {Point{0.2, 0.7}, {0.9, 0.1}, {0.5, 0.5}}) {
      // A thing of the first frame, in both.
      auto seen = [&](const Similarity& lies) {
        const Offset at = moved(lies, {p.x - 0.5, (p.y - 0.5) * aspect});
        return g.to_pixels({at.x + 0.5, at.y / aspect + 0.5});
      };
      const Point from = seen(here), to = in(from.x, from.y), wanted = seen(there);
      EXPECT_NEAR(to.x, wanted.x, 1e-6) << orientation;
      EXPECT_NEAR(to.y, wanted.y, 1e-6) << orientation;
    }
  }
}

// Ten frames of one moment, each a little brighter; a lamp stands before the island in three of
// them. Without noise, so that a ghost would be seen.
void shoot_lamp(const fs::path& folder, bool with_lamp) {
  fs::create_directories(folder);
  sim::CameraOptions options;
  options.frames = 10;
  options.seed = 77;
  options.noise = options.dust = options.hot_pixels = options.wobble = options.ruined =
      options.wrong_aperture = options.steps = options.gap = false;
  const Image scene = sim::HarbourScene({480, 320}, 77).render(0.4, 0);
  auto shots = sim::plan_shots(options, std::vector<double>(10, 0.0));
  for (int i = 0; i < 10; ++i) {
    Image light = scene;
    for (auto& plane : light.planes)
      for (float& v : plane.data) v *= 1 + 0.02f * static_cast<float>(i);
    if (with_lamp && i >= 4 && i <= 6)
      for (int y = 140; y < 152; ++y)
        for (int x = 200; x < 214; ++x)
          for (auto& plane : light.planes) plane.at(x, y) += 0.5f;
    auto& shot = shots[static_cast<std::size_t>(i)];
    shot.flicker = 1 + 0.01 * (i % 3);
    const auto dng = sim::make_dng(sim::expose(light, shot, options), shot, {}, {});
    ASSERT_TRUE(dng);
    ASSERT_TRUE(write_file(folder / ("l_" + std::to_string(i) + ".dng"), *dng, IfExists::keep));
  }
}

TEST(Repairs, ALampIsTakenOutByTimeWithoutAGhost) {
  TempDir dir;
  shoot_lamp(dir / "with", true);
  shoot_lamp(dir / "without", false);
  std::ofstream(dir / "r.json") << R"({"repairs":[{"kind":"area","fill":"time","frames":[4,6],
    "polygon":[[0.4,0.42],[0.46,0.42],[0.46,0.49],[0.4,0.49]]}]})";
  const auto r = test::run("plan --overwrite " + (dir / "with").string() + " --repairs " +
                           (dir / "r.json").string() + " --out " + (dir / "a.tsukimi").string());
  ASSERT_EQ(r.code, 0) << r.err;
  Shoot mended = *open_shoot(dir / "a.tsukimi"),
        clean = *start_shoot(*scan_folder(dir / "without"));
  mended.other_frames = std::make_shared<OtherFrames>(mended.sequence.folder);
  auto developed = [](const Shoot& s, int frame, bool small) {
    ProxyStore store(s.sequence.folder);
    const FilmRecipe recipe = film_recipe(s, courses_of(s), {}, itself(frame), View{});
    return small ? *develop_film_proxy(store, recipe) : *develop_film_frame(recipe);
  };
  for (int frame : {4, 5, 6})
    for (bool small : {false, true}) {
      const Image a = developed(mended, frame, small), b = developed(clean, frame, small);
      double most = 0;
      for (int c = 0; c < 3; ++c)
        for (std::size_t i = 0; i < a.planes[c].data.size(); ++i)
          most = std::max(most, std::fabs(a.planes[c].data[i] - b.planes[c].data[i]) /
                                    std::max(0.1, static_cast<double>(b.planes[c].data[i])));
      EXPECT_LT(most, 0.01) << frame << (small ? " live" : " finished");
    }
  const Image before = developed(mended, 3, false), truth = developed(clean, 3, false);
  EXPECT_EQ(before.planes[0].data, truth.planes[0].data) << "other frames are not touched";
}

// A wall between sky and water, of bricks on the left and of planks on the right; on demand with a
// poster over both.
void shoot_wall(const fs::path& folder, bool with_poster) {
  fs::create_directories(folder);
  sim::CameraOptions options;
  options.frames = 4;
  options.dust = options.hot_pixels = options.wobble = options.ruined = options.wrong_aperture =
      options.steps = options.gap = options.flicker = false;
  auto shots = sim::plan_shots(options, std::vector<double>(4, 0.0));
  Image light(480, 320);
  for (int y = 0; y < 320; ++y)
    for (int x = 0; x < 480; ++x) {
      float v = 0.02f + 0.02f * static_cast<float>(y) / 320;
      if (y >= 110 && y < 210) {
        const bool mortar = y % 10 < 2 || (x + (y / 10 % 2) * 8) % 16 < 2;
        v = x < 240 ? (mortar ? 0.02f : 0.012f) : (x % 12 < 3 ? 0.004f : 0.016f);
      }
      if (with_poster && x >= 165 && x < 315 && y >= 128 && y < 230) v = 0.06f;
      for (auto& plane : light.planes) plane.at(x, y) = v;
    }
  for (int i = 0; i < 4; ++i) {
    const auto& shot = shots[static_cast<std::size_t>(i)];
    const auto dng = sim::make_dng(sim::expose(light, shot, options), shot, {}, {});
    ASSERT_TRUE(dng);
    ASSERT_TRUE(write_file(folder / ("w_" + std::to_string(i) + ".dng"), *dng, IfExists::keep));
  }
}

TEST(Repairs, ALargeAreaIsCoveredFromSeveralPlaces) {
  TempDir dir;
  shoot_wall(dir / "with", true);
  shoot_wall(dir / "without", false);
  auto planned = [&](const std::string& more) {
    std::ofstream(dir / "r.json") << R"({"repairs":[{"kind":"area","fill":)" + more +
                                         R"(,"polygon":[[0.335,0.388],[0.665,0.388],
                                         [0.665,0.73],[0.335,0.73]]}]})";
    fs::remove(dir / "a.tsukimi");
    const auto r = test::run("plan --overwrite " + (dir / "with").string() + " --repairs " +
                             (dir / "r.json").string() + " --out " + (dir / "a.tsukimi").string());
    EXPECT_EQ(r.code, 0) << r.err;
    return *open_shoot(dir / "a.tsukimi");
  };
  const Shoot clean = *start_shoot(*scan_folder(dir / "without")), quilted = planned("\"around\"");
  const AreaRepair& found = *quilted.decisions.repairs.at(0).area();
  ASSERT_FALSE(found.quilt.empty());
  const Shoot alone = planned("\"source\",\"source\":[" + std::to_string(found.source.x) + "," +
                              std::to_string(found.source.y) + "]");
  auto developed = [](const Shoot& s, bool small) {
    ProxyStore store(s.sequence.folder);
    const FilmRecipe recipe = film_recipe(s, courses_of(s), {}, itself(2), View{});
    return small ? *develop_film_proxy(store, recipe) : *develop_film_frame(recipe);
  };
  for (bool small : {false, true}) {
    const Image truth = developed(clean, small), a = developed(quilted, small),
                b = developed(alone, small);
    // Of the picture's own contrast, over the area.
    auto error = [&](const Image& of) {
      double sum = 0, light = 0, n = 0;
      for (int y = truth.height * 40 / 100; y < truth.height * 72 / 100; ++y)
        for (int x = truth.width * 35 / 100; x < truth.width * 65 / 100; ++x) {
          const double d = of.planes[1].at(x, y) - truth.planes[1].at(x, y);
          sum += d * d, light += truth.planes[1].at(x, y), ++n;
        }
      return std::sqrt(sum / n) / (light / n);
    };
    EXPECT_LT(error(a), 0.5 * error(b)) << (small ? "live" : "finished");
    EXPECT_LT(error(a), 0.2) << (small ? "live" : "finished");
  }
}

// Dust that the simulator laid on the sensor: found wherever it lies, on sky, clouds, hill and
// houses, and divided out to about a hundredth of light.
TEST(Repairs, DustIsFoundAndDividedOut) {
  TempDir dir;
  ASSERT_EQ(test::run("simulate --frames 60 --size 960x640 --seed 52 --truth " +
                      (dir / "t.json").string() + " --out " + (dir / "dusty").string())
                .code,
            0);
  const Shoot shoot = *start_shoot(*scan_folder(dir / "dusty"));
  ProxyStore store(shoot.sequence.folder);
  const DustMap map = map_dust(dust_frames(shoot, store));
  sim::CameraOptions options;
  options.seed = 52;
  int found = 0;
  double left = 0;
  for (const sim::Dust& d : sim::dust_of(options, {960, 640})) {
    const auto at = std::ranges::find_if(map.spots, [&](const DustSpot& s) {
      return std::hypot(s.at.x * 960 - d.x, s.at.y * 640 - d.y) < d.radius;
    });
    if (at == map.spots.end()) continue;
    ++found;
    // What dividing by the shadow that was found leaves of the true one.
    for (double q = 0; q < 2; q += 0.25) {
      const double t = 1 - d.depth * std::exp(-q * q), r = at->radius() * 960 / d.radius,
                   m = 1 - at->strength() * std::exp(-q * q / (r * r));
      left = std::max(left, std::fabs(t / m - 1));
    }
  }
  EXPECT_EQ(found, 3);
  EXPECT_LE(static_cast<int>(map.spots.size()) - found, 1);
  EXPECT_LT(left, 0.015);
}

// Without a wobble there is only the middle of the frames to go by.
TEST(Repairs, OnRockDustIsFoundWhereTheSceneIsEven) {
  TempDir dir;
  ASSERT_EQ(test::run("simulate --frames 48 --size 960x640 --seed 76 --no-wobble --truth " +
                      (dir / "t.json").string() + " --out " + (dir / "dusty").string())
                .code,
            0);
  const Shoot shoot = *start_shoot(*scan_folder(dir / "dusty"));
  ProxyStore store(shoot.sequence.folder);
  const auto spots = find_dust(dust_frames(shoot, store));
  sim::CameraOptions options;
  options.seed = 76;
  options.wobble = false;
  int found = 0;
  for (const sim::Dust& d : sim::dust_of(options, {960, 640}))
    found += static_cast<int>(std::ranges::count_if(spots, [&](const DustSpot& s) {
      return std::hypot(s.at.x * 960 - d.x, s.at.y * 640 - d.y) < d.radius;
    }));
  EXPECT_GE(found, 2);
  EXPECT_LE(static_cast<int>(spots.size()) - found, 1);
}

// By the command line.
class RepairsByCommand : public testing::Test {
 protected:
  TempDir dir;
  fs::path repairs = dir / "repairs.json", shoot = dir / "a.tsukimi";
  test::Ran plan(const std::string& json, const std::string& more = "") {
    std::ofstream(repairs) << json;
    fs::remove(shoot);
    return test::run("plan --overwrite " + test::shot_folder().string() + " --repairs " +
                     repairs.string() + " --out " + shoot.string() + " " + more);
  }
};

TEST_F(RepairsByCommand, TheShootKeepsAllOfItAndWhatWasOpenIsFound) {
  const auto r = plan(R"({"repairs":[
     {"kind":"spot","at":[0.3,0.2],"radius":0.01,"from":[0.35,0.2]},
     {"kind":"spot","at":[0.6,0.15],"radius":0.02},
     {"kind":"dust","at":[0.5,0.1],"radius":0.006,"strength":0.2,"aperture":5.6},
     {"kind":"area","polygon":[[0.1,0.1],[0.2,0.1],[0.2,0.2]],"fill":"around"},
     {"kind":"area","polygon":[[0.1,0.1],[0.2,0.1],[0.2,0.2]],"fill":"source","source":[0.5,0.2],"frames":[2,8],"fade":2},
     {"kind":"spot","keys":[{"frame":0,"at":[0.3,0.2],"radius":0.01,"from":[0.35,0.2]},{"frame":9,"at":[0.4,0.2],"radius":0.01,"from":[0.45,0.2]}]}]})");
  ASSERT_EQ(r.code, 0) << r.err;
  const Shoot s = *open_shoot(shoot);
  const auto& all = s.decisions.repairs;
  ASSERT_EQ(all.size(), 6u);
  for (const Repair& one : all) EXPECT_FALSE(is_incomplete(one));
  EXPECT_EQ(all[0].spot()->values.keys[0].values[Param::spot_from_x], 0.35);
  const Values& found = all[1].spot()->values.keys[0].values;
  EXPECT_GT(std::hypot(found[Param::spot_from_x] - 0.6, found[Param::spot_from_y] - 0.15), 0.03);
  EXPECT_EQ(all[2].dust()->shadows, (std::vector<Shadow>{{5.6, 0.006, 0.2}}));
  EXPECT_EQ(all[4].area()->first, FrameId{2});
  EXPECT_EQ(all[4].area()->last, FrameId{8});
  EXPECT_EQ(all[4].area()->fade, 2);
  EXPECT_EQ(all[5].spot()->values.keys.size(), 2u);
  ASSERT_TRUE(save_shoot(s, dir / "b.tsukimi"));
  EXPECT_EQ(open_shoot(dir / "b.tsukimi")->decisions.repairs, all);
  EXPECT_EQ(test::run("export " + shoot.string() + " --to " + (dir / "o").string() +
                      " --name f_## --format jpeg")
                .code,
            0);
}

TEST_F(RepairsByCommand, WhatIsWrongIsSaidWithItsPlace) {
  struct Wrong {
    const char *json, *word;
  };
  for (
      const Wrong& w : {
          Wrong{R"({"repairs":[{"kind":"hole","at":[0.3,0.2]}]})", "repairs[0].kind"},
          {R"({"repairs":[{"kind":"spot","radius":0.1}]})", "at"},
          {R"({"repairs":[{"kind":"spot","at":[1.3,0.2],"radius":0.1}]})", "at"},
          {R"({"repairs":[{"kind":"dust","at":[0.3,0.2]}]})", "radius"},
          {R"({"repairs":[{"kind":"dust","at":[0.3,0.2],"radius":0.01,"colour":1}]})", "colour"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1]]}]})", "polygon"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1],[0,1]],"fill":"source"}]})",
           "source"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1],[0,1]],"fill":"time"}]})",
           "frames"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1],[0,1]],"frames":[5,99]}]})",
           "frames"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1],[0,1]],"fill":"time","frames":[0,11]}]})",
           "all frames"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1],[0,1]],"source":[0.5,0.5],"quilt":
              {"from":[0,0],"cell":[0.1,0.1],"columns":2,"offsets":[[0.1,0]],"which":[0,1]}}]})",
           "which"},
          {R"({"repairs":[{"kind":"area","polygon":[[0,0],[1,1],[0,1]],"source":[0.5,0.5],"quilt":
              {"from":[0,0],"cell":[0.1,0.1],"columns":2,"offsets":[[0.1,0]],"which":[0]}}]})",
           "which"},
          {R"({"repairs":3})", "repairs"},
          {R"({"places":[]})", "places"},
      }) {
    const auto r = plan(w.json);
    EXPECT_EQ(r.code, 1) << w.json;
    test::expect_one_line(r, w.word);
    EXPECT_FALSE(fs::exists(shoot)) << w.json;
  }
}

}  // namespace
}  // namespace tsukimi
