// SPDX-License-Identifier: GPL-3.0-or-later
// Places: masks against their geometry, adjustments against those of the look, over time, in files
// and by the command line.
#include <gtest/gtest.h>

#include <hwy/targets.h>

#include <numbers>
#include <random>

#include "core/cli_runner.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "document/files/places_json.h"
#include "document/files/saved_look.h"
#include "document/files/shoot_file.h"
#include "document/kept_places.h"
#include "document/values.h"
#include "film/film.h"
#include "image/fast_math.h"
#include "places/mask.h"
#include "sim/scene.h"
#include "support.h"

namespace tsukimi {
namespace {

constexpr Size kFrame{600, 400};

Image filled(Size size, float r, float g, float b) {
  Image image(size.width, size.height);
  const float v[3] = {r, g, b};
  for (int c = 0; c < 3; ++c) std::ranges::fill(image.planes[c].data, v[c]);
  return image;
}

ShapeAt graduated(double x0, double y0, double x1, double y1, Combine how = Combine::add) {
  ShapeAt s{ShapeKind::graduated, how, presets(kGraduated), {}, {}, 0, {}, {}};
  s.values[Param::from_x] = x0, s.values[Param::from_y] = y0;
  s.values[Param::to_x] = x1, s.values[Param::to_y] = y1;
  return s;
}

ShapeAt ellipse(double x, double y, double rx, double ry, double angle, double feather,
                Combine how = Combine::add) {
  ShapeAt s{ShapeKind::ellipse, how, presets(kEllipse), {}, {}, 0, {}, {}};
  s.values[Param::centre_x] = x, s.values[Param::centre_y] = y;
  s.values[Param::radius_x] = rx, s.values[Param::radius_y] = ry;
  s.values[Param::ellipse_angle] = angle, s.values[Param::ellipse_feather] = feather;
  return s;
}

ShapeAt painted(std::vector<Stroke> strokes, Combine how = Combine::add) {
  return {ShapeKind::painted, how, Values{kGraduated}, Painting(std::move(strokes)), {}, 0, {}, {}};
}

PlaceAt place_of(std::vector<ShapeAt> shapes,
                 std::initializer_list<std::pair<Param, double>> values) {
  PlaceAt p;
  p.shapes = std::move(shapes);
  p.values = presets(kPlace);
  for (const auto& [param, v] : values) p.values[param] = v;
  return p;
}

PictureRecipe neutral() {
  PictureRecipe s;
  s.look = neutral_look(5600, 0);
  return s;
}

Image developed(Image image, std::vector<PlaceAt> places, const Look* look = nullptr,
                Placement placement = {}) {
  PictureRecipe s = neutral();
  if (look) s.look = *look;
  s.places = std::move(places);
  s.placement = placement;
  apply_look(image, s, 1, kFrame);
  return image;
}

Plane mask_of(const PlaceAt& p, Size size = kFrame, const Placement& placement = {}) {
  const Mask mask(p, placement, size, kFrame);
  Plane out(size.width, size.height);
  for (int y = 0; y < size.height; ++y) mask.row(y, {}, out.row(y));
  return out;
}

const Image& harbour() {
  static const Image image = [] {
    const Image scene = sim::HarbourScene(kFrame, 31).render(0.4, 0);
    Image out(kFrame.width, kFrame.height);
    const Mat3& m = srgb_to_rec2020();
    for (std::size_t i = 0; i < out.planes[0].data.size(); ++i)
      for (int r = 0; r < 3; ++r) {
        double v = 0;
        for (int c = 0; c < 3; ++c) v += m(r, c) * scene.planes[c].data[i];
        out.planes[r].data[i] = static_cast<float>(v);
      }
    return out;
  }();
  return image;
}

// Spread 1, the same for the same numbers.
float noise_at(std::uint32_t i, std::uint32_t c, std::uint32_t frame) {
  float sum = 0;
  for (std::uint32_t k = 0; k < 12; ++k)
    sum += static_cast<float>(hash3(i, 16 * c + k, frame)) * (1 / 4294967296.0f);
  return sum - 6;
}

double largest_difference(const Image& a, const Image& b) {
  double most = 0;
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < a.planes[c].data.size(); ++i)
      most =
          std::max(most, static_cast<double>(std::fabs(a.planes[c].data[i] - b.planes[c].data[i])));
  return most;
}

// A stop is a stop where it is whole, nothing beyond, and never goes back in between; at any width
// and angle, and the same in a crop.
TEST(Places, AGraduatedStopIsAStopWhereItIsWhole) {
  struct Case {
    double x0, y0, x1, y1;
  };
  for (const Case& c : {Case{0.5, 0.1, 0.5, 0.5}, {0.2, 0.3, 0.7, 0.8}, {0.9, 0.5, 0.6, 0.5}}) {
    const PlaceAt p = place_of({graduated(c.x0, c.y0, c.x1, c.y1)}, {{Param::place_exposure, -1}});
    for (const Rect part : {Rect{}, Rect{0.1, 0.2, 0.5, 0.4}}) {
      const Image out =
          developed(filled(kFrame, 0.3f, 0.2f, 0.1f), {p}, nullptr, Placement(part, kFrame));
      for (int y = 0; y < kFrame.height; y += 7)
        for (int x = 0; x < kFrame.width; x += 7) {
          // In pixels of a square grid.
          const double fx = (part.x + (x + 0.5) / kFrame.width * part.w) * kFrame.width,
                       fy = (part.y + (y + 0.5) / kFrame.height * part.h) * kFrame.height;
          const double ax = c.x0 * kFrame.width, ay = c.y0 * kFrame.height,
                       bx = c.x1 * kFrame.width, by = c.y1 * kFrame.height;
          const double t = ((fx - ax) * (bx - ax) + (fy - ay) * (by - ay)) /
                           ((bx - ax) * (bx - ax) + (by - ay) * (by - ay));
          const double u = std::clamp(1 - t, 0.0, 1.0), stops = -u * u * (3 - 2 * u);
          EXPECT_NEAR(std::log2(out.planes[0].at(x, y) / 0.3f), stops, 2e-4) << x << "," << y;
          EXPECT_NEAR(out.planes[2].at(x, y) / out.planes[0].at(x, y), 1.0 / 3, 1e-5);
        }
    }
  }
}

TEST(Places, AnEllipseIsWholeInsideAndTurnsClockwise) {
  const Plane m = mask_of(place_of({ellipse(0.5, 0.5, 0.3, 0.05, 30, 20)}, {}));
  auto at = [&](double along, double across) {  // in radii, along the turned axes
    const double a = 30 * std::numbers::pi / 180;
    const double u = along * 0.3 * kFrame.width, v = across * 0.05 * kFrame.width;
    const double x = 300 + u * std::cos(a) - v * std::sin(a),
                 y = 200 + u * std::sin(a) + v * std::cos(a);
    return m.at(static_cast<int>(x), static_cast<int>(y));
  };
  EXPECT_FLOAT_EQ(at(0, 0), 1);
  EXPECT_FLOAT_EQ(at(0.75, 0), 1);
  EXPECT_FLOAT_EQ(at(0, -0.7), 1);
  EXPECT_NEAR(at(0.9, 0), 0.5, 0.03);
  EXPECT_FLOAT_EQ(at(1.05, 0), 0);
  EXPECT_FLOAT_EQ(at(0, 1.1), 0);
  EXPECT_FLOAT_EQ(at(-0.8, 0), 1);
  // Mirrored it would lie elsewhere.
  EXPECT_FLOAT_EQ(m.at(300 + 120, 200 - 69), 0);
}

TEST(Places, StrokesAreAsWideAsTheBrushAndErase) {
  const Stroke line{0.05, 50, 100, false, {{0.2, 0.5}, {0.8, 0.5}}};
  const Plane m = mask_of(place_of({painted({line})}, {}));
  auto at = [&](double x, double radii) {
    return m.at(static_cast<int>(x * kFrame.width),
                static_cast<int>(200 + radii * 0.05 * kFrame.width));
  };
  for (double x : {0.2, 0.35, 0.5, 0.79}) {
    EXPECT_NEAR(at(x, 0), 1, 0.002) << x;
    EXPECT_NEAR(at(x, 0.45), 1, 0.02) << x;
    EXPECT_NEAR(at(x, 0.75), 0.5, 0.06) << x;
    EXPECT_NEAR(at(x, 1.08), 0, 0.002) << x;
  }
  EXPECT_NEAR(at(0.2 - 0.055, 0), 0, 0.002);
  // Crossing itself adds nothing; a second stroke does, and one that erases takes away.
  Stroke faint{0.05, 0, 40, false, {{0.2, 0.5}, {0.8, 0.5}, {0.2, 0.5}}};
  EXPECT_NEAR(mask_of(place_of({painted({faint})}, {})).at(300, 200), 0.4, 0.002);
  EXPECT_NEAR(mask_of(place_of({painted({faint, faint})}, {})).at(300, 200), 0.64, 0.002);
  Stroke rubber{0.05, 0, 75, true, {{0.5, 0.5}}};
  EXPECT_NEAR(mask_of(place_of({painted({line, rubber})}, {})).at(300, 200), 0.25, 0.002);
  EXPECT_NEAR(mask_of(place_of({painted({line, rubber})}, {})).at(200, 200), 1, 0.002);
}

// What was drawn already is used again, whatever came in between: the same picture.
TEST(Places, AnotherStrokeOverAPaintingGivesWhatPaintingAllOfThemDoes) {
  std::vector<Stroke> strokes;
  Painting step;
  std::vector<Painting> undo;  // what was there before lives on, as it does in a document
  for (int i = 0; i < 30; ++i) {
    undo.push_back(step);
    strokes.push_back({0.01 + 0.002 * i,
                       10.0 * (i % 10),
                       30.0 + 2 * i,
                       i % 4 == 3,
                       {{0.03 * i, 0.5}, {0.5, 0.03 * i}, {0.03 * i + 0.05, 0.9}}});
    step = step.with(strokes.back());
    if (i % 3 == 0) (void)step.coverage(900, 1.5);
  }
  const Painting whole(strokes);
  EXPECT_EQ(step, whole);
  EXPECT_EQ(step.sum(), whole.sum());
  for (double pixels : {500.0, 900.0, 3000.0}) {
    const auto a = step.coverage(pixels, 1.5), b = whole.coverage(pixels, 1.5);
    EXPECT_EQ(a->data, b->data) << pixels;
  }
  const ThreadLimit limit(1);
  EXPECT_EQ(Painting(strokes).coverage(900, 1.5)->data, whole.coverage(900, 1.5)->data);
  strokes[9].edges = true;
  EXPECT_NE(Painting(strokes), whole);
  EXPECT_NE(Painting(strokes).sum(), whole.sum());
  strokes[9].edges = false;
  strokes[7].flow += 1;
  EXPECT_NE(Painting(strokes), whole);
  EXPECT_NE(Painting(strokes).sum(), whole.sum());
}

// A picture that is bright on the left and two stops darker on the right, over some pixels.
Image edge_at(double x, int wide) {
  Image stops(960, 640);
  for (int j = 0; j < 640; ++j)
    for (int i = 0; i < 960; ++i)
      for (Plane& p : stops.planes)
        p.at(i, j) = static_cast<float>(-2 * std::clamp((i - x * 960) / wide + 0.5, 0.0, 1.0));
  return stops;
}
std::shared_ptr<EdgeGuide> guide_of(const Image& stops) {
  return std::make_shared<EdgeGuide>(stops);
}

TEST(Places, StrokesThatFollowEdgesEndThere) {
  Stroke stroke{0.1, 40, 100, false, {{0.42, 0.2}, {0.42, 0.8}}};
  auto row = [&](bool edges, std::shared_ptr<EdgeGuide> guide) {
    stroke.edges = edges;
    ShapeAt shape = painted({stroke});
    shape.guide.guide = std::move(guide);
    const Plane m = mask_of(place_of({shape}, {}));
    return std::vector<float>(m.row(200), m.row(200) + m.width);
  };
  const auto plain = row(false, guide_of(edge_at(0.46, 1))),
             follows = row(true, guide_of(edge_at(0.46, 1))),
             soft = row(true, guide_of(edge_at(0.46, 400))), without = row(true, nullptr);
  auto at = [&](const std::vector<float>& r, double x) {
    return r[static_cast<std::size_t>(x * kFrame.width)];
  };
  EXPECT_FLOAT_EQ(at(plain, 0.475), 1) << "else it would go on";
  EXPECT_FLOAT_EQ(at(follows, 0.475), 0);
  EXPECT_FLOAT_EQ(at(follows, 0.45), 1) << "and right up to the edge it is whole";
  for (double x = 0.3; x < 0.455; x += 0.01) EXPECT_NEAR(at(follows, x), at(plain, x), 0.01) << x;
  for (std::size_t x = 0; x < plain.size(); ++x) {
    EXPECT_NEAR(soft[x], plain[x], 0.02) << "light that fades is no edge " << x;
    EXPECT_EQ(without[x], plain[x]) << x;
  }
  // What lies behind a pole belongs to it, as long as there is a way round.
  Image pole = edge_at(2, 1);
  for (Plane& p : pole.planes)
    for (int j = 300; j < 340; ++j)
      for (int i = 450; i < 454; ++i) p.at(i, j) = -3;
  const auto behind = row(true, guide_of(pole));
  EXPECT_FLOAT_EQ(at(behind, 452.0 / 960), 0);
  EXPECT_FLOAT_EQ(at(behind, 0.478), 1);
}

// A stroke that grows under the hand is not begun anew, and yet is what it is when drawn at once.
TEST(Places, AStrokeThatGrowsAlongAnEdgeIsTheStroke) {
  // Edges everywhere, so that it matters which ways are looked at.
  Image stops = edge_at(0.46, 1);
  std::mt19937 random(4);
  for (Plane& p : stops.planes)
    for (int y = 0; y < p.height; y += 5)
      for (int x = 0; x < p.width; x += 5) {
        const float v = static_cast<float>(random() % 1000) / 4000;
        for (int j = y; j < y + 5; ++j)
          for (int i = x; i < x + 5; ++i) p.at(i, j) = v;
      }
  const auto guide = guide_of(stops), other = guide_of(stops);
  Stroke stroke{0.05, 40, 100, false, {}};
  stroke.edges = true;
  const Painting before({{0.03, 40, 100, false, {{0.2, 0.2}, {0.8, 0.8}}}});
  std::shared_ptr<const Coverage> grown;
  for (int i = 0; i < 60; ++i) {
    stroke.points.push_back({0.42 + 0.03 * std::sin(0.2 * i), 0.1 + 0.012 * i});
    grown = before.with(stroke).coverage(900, 1.5, guide);
  }
  EXPECT_EQ(grown->data, before.with(stroke).coverage(900, 1.5, other)->data);
}

TEST(Places, ShapesAddTakeAwayAndCut) {
  auto at = [&](std::vector<ShapeAt> shapes, int x) {
    return mask_of(place_of(std::move(shapes), {})).at(x, 200);
  };
  const ShapeAt left = graduated(0.49, 0.5, 0.51, 0.5);
  auto with = [](ShapeAt s, Combine how) {
    s.how = how;
    return s;
  };
  const ShapeAt middle = ellipse(0.5, 0.5, 0.2, 0.2, 0, 1);
  // Whole left of the middle; the ellipse lies over both halves.
  EXPECT_FLOAT_EQ(at({left, with(middle, Combine::add)}, 350), 1);
  EXPECT_FLOAT_EQ(at({left, with(middle, Combine::add)}, 550), 0);
  EXPECT_FLOAT_EQ(at({left, with(middle, Combine::take)}, 250), 0);
  EXPECT_FLOAT_EQ(at({left, with(middle, Combine::take)}, 50), 1);
  EXPECT_FLOAT_EQ(at({left, with(middle, Combine::cut)}, 250), 1);
  EXPECT_FLOAT_EQ(at({left, with(middle, Combine::cut)}, 50), 0);
  EXPECT_FLOAT_EQ(at({with(middle, Combine::take)}, 550), 1) << "it begins with everything";
  EXPECT_FLOAT_EQ(at({with(middle, Combine::cut)}, 300), 1);
  EXPECT_FLOAT_EQ(at({}, 300), 1) << "no shape: everything";
}

// A mask and its inverse give together what one value everywhere would.
TEST(Places, TheInversePairAddsUpToOneChange) {
  const std::vector<std::vector<ShapeAt>> masks{
      {graduated(0.3, 0.1, 0.6, 0.7)},
      {ellipse(0.4, 0.6, 0.3, 0.2, 20, 80), graduated(0.5, 0.4, 0.5, 0.6, Combine::take)},
      {painted({{0.1, 80, 60, false, {{0.2, 0.2}, {0.7, 0.8}, {0.9, 0.3}}}})}};
  for (const auto& shapes : masks)
    for (const Limit tones : {kAllTones, Limit{30, 70, 20}}) {
      PlaceAt p = place_of(shapes, {{Param::place_exposure, -0.7},
                                    {Param::place_temperature, 900},
                                    {Param::place_saturation, -30}});
      p.tones = tones;
      PlaceAt inverse = p;
      inverse.invert = true;
      const Image pair = developed(harbour(), {p, inverse}),
                  all = developed(harbour(), {place_of({}, {{Param::place_exposure, -0.7},
                                                            {Param::place_temperature, 900},
                                                            {Param::place_saturation, -30}})});
      for (int c = 0; c < 3; ++c)
        for (std::size_t i = 0; i < all.planes[c].data.size(); ++i)
          ASSERT_NEAR(pair.planes[c].data[i], all.planes[c].data[i],
                      0.005 * std::fabs(all.planes[c].data[i]) + 1e-5);
    }
}

// A place that is everywhere does what the look does: the same operations, by the same amounts.
TEST(Places, APlaceThatIsEverywhereIsTheLook) {
  constexpr std::pair<Param, Param> kSame[] = {{Param::place_haze, Param::haze},
                                               {Param::place_black_point, Param::black_point},
                                               {Param::place_shadows, Param::shadows},
                                               {Param::place_contrast, Param::contrast},
                                               {Param::place_highlights, Param::highlights},
                                               {Param::place_white_point, Param::white_point},
                                               {Param::place_saturation, Param::saturation},
                                               {Param::place_muted_colours, Param::muted_colours},
                                               {Param::place_local_contrast, Param::local_contrast},
                                               {Param::place_sharpness, Param::sharpness}};
  for (const auto& [here, there] : kSame)
    for (double v : {60.0, -45.0}) {
      if (v < info(there).min) continue;
      Look look = neutral().look;
      look[there] = v;
      const Image by_look = developed(harbour(), {}, &look),
                  by_place = developed(harbour(), {place_of({}, {{here, v}})});
      EXPECT_LT(largest_difference(by_look, by_place), 3e-3) << info(there).name << " " << v;
      EXPECT_GT(largest_difference(by_look, harbour()), 1e-2) << info(there).name << " " << v;
      // Half of it here, half of it there: amounts add up.
      look[there] = v / 2;
      EXPECT_LT(
          largest_difference(by_look, developed(harbour(), {place_of({}, {{here, v / 2}})}, &look)),
          there == Param::contrast || there == Param::white_point || there == Param::black_point ||
                  there == Param::saturation || there == Param::muted_colours
              ? 0.12
              : 3e-3)
          << info(there).name << " " << v;
      PlaceAt half = place_of({}, {{here, v / 2}});
      EXPECT_LT(largest_difference(by_place, developed(harbour(), {half, half})), 1e-4)
          << info(there).name << " " << v;
    }
}

TEST(Places, TemperatureAndTintShiftTheLook) {
  const Image grey = filled({32, 32}, 0.2f, 0.2f, 0.2f);
  auto of = [&](double kelvin, double tint) {
    const Image out = developed(
        grey, {place_of({}, {{Param::place_temperature, kelvin}, {Param::place_tint, tint}})});
    return std::array<double, 3>{out.planes[0].at(9, 9), out.planes[1].at(9, 9),
                                 out.planes[2].at(9, 9)};
  };
  const auto warm = of(1500, 0), cool = of(-1500, 0), pink = of(0, 60);
  EXPECT_GT(warm[0] / warm[2], 1.2);
  EXPECT_LT(cool[0] / cool[2], 0.8);
  EXPECT_LT(pink[1] / (0.5 * (pink[0] + pink[2])), 0.97);
  for (const auto& v : {warm, cool, pink})
    EXPECT_NEAR(kLumaR * v[0] + kLumaG * v[1] + kLumaB * v[2], 0.2, 1e-4)
        << "the brightness of grey stays";
  // What the look itself does to a camera's white, in the same direction and about as far.
  const Vec3 from = to_xyz(light_chromaticity(5600, 0)), to = to_xyz(light_chromaticity(7100, 0));
  const double expected = (from[0] / to[0]) / (from[2] / to[2]);
  EXPECT_NEAR((warm[0] / warm[2]) / expected, 1, 0.15);
}

TEST(Places, EveryAdjustmentWorksInsideAndNowhereElse) {
  for (const auto& row : kPlace.rows()) {
    if (row.id == Param::place_strength) continue;
    Image start = harbour();
    if (row.id == Param::place_noise)
      for (auto& plane : start.planes)
        for (std::size_t i = 0; i < plane.data.size(); ++i)
          plane.data[i] *= 1 + 0.05f * noise_at(static_cast<std::uint32_t>(i), 1, 2);
    const PlaceAt p = place_of({ellipse(0.5, 0.5, 0.2, 0.2, 0, 30)}, {{row.id, row.max}});
    const Image with = developed(start, {p});
    double inside = 0, outside = 0;
    for (int y = 0; y < kFrame.height; ++y)
      for (int x = 0; x < kFrame.width; ++x) {
        const double away = std::hypot(x - 300, y - 200);
        for (int c = 0; c < 3; ++c) {
          const double d = std::fabs(with.planes[c].at(x, y) - start.planes[c].at(x, y));
          if (away < 80) inside = std::max(inside, d);
          if (away > 125) outside = std::max(outside, d);
        }
      }
    EXPECT_GT(inside, 1e-3) << row.name;
    EXPECT_LT(outside, 1e-5) << row.name;
    for (const auto& plane : with.planes)
      for (float v : plane.data) ASSERT_TRUE(std::isfinite(v)) << row.name;
    // Half the strength is less, none is nothing.
    PlaceAt none = p;
    none.values[Param::place_strength] = 0;
    EXPECT_LT(largest_difference(developed(start, {none}), start), 1e-5) << row.name;
  }
}

// No bright or dark seam on either side of a soft edge between two even areas.
TEST(Places, NoHaloAtASoftMask) {
  Image image = filled(kFrame, 0.2f, 0.2f, 0.2f);
  const PlaceAt p = place_of({graduated(0.4, 0.5, 0.6, 0.5)}, {{Param::place_exposure, 1},
                                                               {Param::place_highlights, -40},
                                                               {Param::place_shadows, 40},
                                                               {Param::place_contrast, 20}});
  const Image out = developed(image, {p});
  const float* row = out.planes[1].row(200);
  for (int x = 1; x < kFrame.width; ++x) EXPECT_LE(row[x], row[x - 1] * 1.0005f + 1e-6f) << x;
}

// Tones and hues choose what they say, with soft ends.
TEST(Places, ARangeOfTonesAndOfHues) {
  Image steps(kFrame.width, kFrame.height);
  const float light[3] = {0.02f, 0.18f, 0.7f};  // lightness 15, 49, 87
  for (auto& plane : steps.planes)
    for (int y = 0; y < kFrame.height; ++y)
      for (int x = 0; x < kFrame.width; ++x) plane.at(x, y) = light[x / 200];
  PlaceAt p = place_of({}, {{Param::place_exposure, 1}});
  auto change = [&](const Image& in, int x) {
    const Image out = developed(in, {p});
    return std::log2(out.planes[1].at(x, 200) / in.planes[1].at(x, 200));
  };
  p.tones = {60, 100, 10};
  EXPECT_NEAR(change(steps, 100), 0, 1e-3);
  EXPECT_NEAR(change(steps, 300), 0, 1e-3);
  EXPECT_NEAR(change(steps, 500), 1, 1e-3);
  p.tones = {0, 30, 10};
  EXPECT_NEAR(change(steps, 100), 1, 1e-3);
  EXPECT_NEAR(change(steps, 500), 0, 1e-3);
  p.tones = {30, 49.5, 20};
  EXPECT_NEAR(change(steps, 300), 0.5, 0.05) << "in the middle of its end";
  // Red, green and blue thirds; Oklab has red near 29, green near 142, blue near 264 degrees.
  Image colours = filled(kFrame, 0.05f, 0.05f, 0.05f);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < kFrame.height; ++y)
      for (int x = 200 * c; x < 200 * (c + 1); ++x) colours.planes[c].at(x, y) = 0.5f;
  p.tones = kAllTones;
  p.hues = {220, 300, 20};
  EXPECT_NEAR(change(colours, 100), 0, 1e-3);
  EXPECT_NEAR(change(colours, 300), 0, 1e-3);
  EXPECT_NEAR(change(colours, 500), 1, 0.02);
  EXPECT_NEAR(change(steps, 300), 0, 1e-3) << "grey has no hue";
  // Turned over, it is all but those; of no shapes too.
  p.invert = true;
  EXPECT_NEAR(change(colours, 100), 1, 1e-3);
  EXPECT_NEAR(change(colours, 500), 0, 0.02);
  p.invert = false;
  p.hues = {340, 410, 20};  // across 0
  EXPECT_NEAR(change(colours, 100), 1, 0.02);
  EXPECT_NEAR(change(colours, 500), 0, 1e-3);
}

// A look that is exposed more has the same mask: key frames of exposure do not move it.
TEST(Places, TheLooksExposureDoesNotMoveARangeOfTones) {
  PlaceAt p = place_of({}, {{Param::place_exposure, 1}});
  p.tones = {40, 70, 15};
  const Image plain = developed(harbour(), {p});
  Image brighter = harbour();
  for (auto& plane : brighter.planes)
    for (float& v : plane.data) v *= 2;
  Look look = neutral().look;
  look[Param::exposure] = 1;  // as the picture comes when it is exposed a stop more
  const Image out = developed(brighter, {p}, &look);
  double most = 0;
  for (std::size_t i = 0; i < plain.planes[1].data.size(); ++i)
    if (plain.planes[1].data[i] > 0.02f)
      most = std::max(most, std::fabs(out.planes[1].data[i] / (2.0 * plain.planes[1].data[i]) - 1));
  EXPECT_LT(most, 0.001);
}

// A static scene whose only change is its noise: what a limited place does must not change.
TEST(Places, AMaskLimitedByToneDoesNotFlicker) {
  PlaceAt p = place_of({}, {{Param::place_exposure, 1}});
  p.tones = {35, 65, 12};
  std::vector<double> means;
  for (std::uint32_t frame = 0; frame < 6; ++frame) {
    Image noisy = harbour();
    for (std::uint32_t c = 0; c < 3; ++c)
      for (std::size_t i = 0; i < noisy.planes[c].data.size(); ++i)
        noisy.planes[c].data[i] +=
            std::sqrt(std::max(noisy.planes[c].data[i], 0.0f) * 0.0004f + 1e-6f) *
            noise_at(static_cast<std::uint32_t>(i), c, frame);
    const Image out = developed(noisy, {p});
    double before = 0, after = 0;
    for (std::size_t i = 0; i < out.planes[1].data.size(); ++i)
      before += noisy.planes[1].data[i], after += out.planes[1].data[i];
    means.push_back(after / before);
  }
  const auto [least, most] = std::ranges::minmax(means);
  EXPECT_GT(least, 1.05) << "it does something";
  EXPECT_LT(most / least - 1, 0.001);
}

TEST(Places, TheSameBitsForEveryInstructionSetAndAnyNumberOfThreads) {
  PlaceAt p = place_of({graduated(0.3, 0.1, 0.6, 0.7), ellipse(0.6, 0.5, 0.3, 0.2, 40, 60),
                        painted({{0.08, 40, 70, true, {{0.1, 0.1}, {0.9, 0.9}}}}, Combine::cut)},
                       {});
  for (const auto& row : kPlace.rows())
    if (row.id != Param::place_strength) p.values[row.id] = 0.4 * row.max;
  PlaceAt q = p;
  q.invert = true;
  q.tones = {20, 80, 20};
  q.hues = {200, 300, 40};
  auto develop = [&] { return to_srgb16(developed(harbour(), {p, q})); };
  const Encoded16 best = develop();
  std::size_t sets = 0;
  for (std::int64_t all = hwy::SupportedTargets(); all; all &= all - 1, ++sets) {
    hwy::SetSupportedTargetsForTest(all & -all);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    EXPECT_EQ(develop().data, best.data) << hwy::TargetName(all & -all);
    hwy::SetSupportedTargetsForTest(0);
  }
  hwy::GetChosenTarget().Update(hwy::SupportedTargets());
  EXPECT_GE(sets, 2u);
  for (int threads : {1, 8}) {
    const ThreadLimit limit(threads);
    EXPECT_EQ(develop().data, best.data) << threads;
  }
}

// Over time. Shapes run like any value; a painting stays or dissolves.
LocalPlace moving_place() {
  LocalPlace p = new_place("sky", ShapeKind::graduated, FrameId{0});
  auto& keys = p.shapes[0].values;
  keys.keys[0].easing = Easing::straight;
  Values later = keys.keys[0].values;
  later[Param::from_y] = 0.3;
  later[Param::to_y] = 0.9;
  keys.at(FrameId{8}, later).easing = Easing::straight;
  p.values.keys[0].values[Param::place_exposure] = -1;
  p.shapes.push_back(new_shape(ShapeKind::painted, FrameId{2}));
  p.shapes[1].painted[0].painting = Painting({{0.1, 0, 100, false, {{0.1, 0.9}}}});
  p.shapes[1].painted.push_back({FrameId{6}, Painting({{0.1, 0, 100, false, {{0.9, 0.9}}}}), true});
  return p;
}

TEST(Places, ShapesRunFromKeyFrameToKeyFrame) {
  const LocalPlace p = moving_place();
  std::vector<double> axis(10);
  std::vector<int> places(10);
  for (int i = 0; i < 10; ++i) axis[i] = places[i] = i;
  PlaceCourse course(p, axis, places);
  for (int frame = 0; frame < 10; ++frame) {
    const PlaceAt at = *course.at(frame);
    const double t = std::min(frame / 8.0, 1.0);
    EXPECT_NEAR(at.shapes[0].values[Param::to_y], 0.5 + 0.4 * t, 1e-9) << frame;
    // On every frame of the move: a stop where it is whole, nothing beyond.
    const Plane m = mask_of(place_of({at.shapes[0]}, {}));
    const int from = static_cast<int>((0.1 + 0.2 * t) * kFrame.height),
              to = static_cast<int>((0.5 + 0.4 * t) * kFrame.height);
    EXPECT_FLOAT_EQ(m.at(300, std::max(0, from - 1)), 1) << frame;
    EXPECT_FLOAT_EQ(m.at(300, std::min(to + 1, kFrame.height - 1)), 0) << frame;
    for (int y = 1; y < kFrame.height; ++y) ASSERT_LE(m.at(300, y), m.at(300, y - 1)) << frame;
    // The painting: the first until frame 2, half of each at 4, the second from 6 on.
    const Plane drawn = mask_of(place_of({at.shapes[1]}, {}));
    const double share = std::clamp((frame - 2) / 4.0, 0.0, 1.0);
    EXPECT_NEAR(drawn.at(60, 360), 1 - share, 0.01) << frame;
    EXPECT_NEAR(drawn.at(540, 360), share, 0.01) << frame;
  }
  LocalPlace stays = p;
  stays.shapes[1].painted[0].dissolves = false;
  const PlaceCourse held(stays, axis, places);
  EXPECT_NEAR(mask_of(place_of({held.at(5)->shapes[1]}, {})).at(60, 360), 1, 0.01);
  EXPECT_NEAR(mask_of(place_of({held.at(6)->shapes[1]}, {})).at(60, 360), 0, 0.01);
  // What does nothing is not there.
  LocalPlace off = p;
  off.on = false;
  EXPECT_FALSE(PlaceCourse(off, axis, places).at(3));
  LocalPlace idle = p;
  idle.values.keys[0].values[Param::place_exposure] = 0;
  EXPECT_FALSE(PlaceCourse(idle, axis, places).at(3));
}

// A look keeps its places as they are at the frame it is kept from, between key frames too.
TEST(Places, AreKeptAsTheyAreAtAFrame) {
  Shoot shoot;
  for (int i = 0; i < 9; ++i) {
    FrameInfo f;
    f.file = "A_" + std::to_string(i) + ".dng";
    f.time = 1.9e9 + 10 * i;
    shoot.sequence.frames.push_back(f);
  }
  shoot.sequence.size = {600, 400};
  find_facts(shoot.sequence);
  LocalPlace p = moving_place();
  p.values.keys[0].easing = Easing::straight;
  Values later = p.values.keys[0].values;
  later[Param::place_exposure] = 1;
  later[Param::place_tint] = 20;
  p.values.at(FrameId{8}, later).easing = Easing::straight;
  shoot.decisions.places = {p};
  for (int frame : {0, 4, 6, 8}) {
    const auto kept = places_to_keep(shoot, frame);
    ASSERT_EQ(kept.size(), 1u);
    ASSERT_EQ(kept[0].values.keys.size(), 1u);
    EXPECT_NEAR(kept[0].values.keys[0].values[Param::place_exposure], -1 + 0.25 * frame, 1e-9);
    EXPECT_NEAR(kept[0].values.keys[0].values[Param::place_tint], 2.5 * frame, 1e-9);
    ASSERT_EQ(kept[0].shapes.size(), 1u) << "what is painted belongs to one picture";
    EXPECT_NEAR(kept[0].shapes[0].values.keys[0].values[Param::to_y], 0.5 + 0.05 * frame, 1e-9);
  }
}

TEST(Places, ARecipeTellsWhatAPlaceIs) {
  PictureRecipe a = neutral();
  const std::string plain = text_of(a);
  a.places = {place_of({graduated(0.3, 0.1, 0.6, 0.7)}, {{Param::place_exposure, -1}})};
  std::set<std::string> texts{plain, text_of(a)};
  auto differs = [&](const std::function<void(PlaceAt&)>& change) {
    PictureRecipe b = a;
    change(b.places[0]);
    EXPECT_NE(b, a);
    return texts.insert(text_of(b)).second;
  };
  EXPECT_TRUE(differs([](PlaceAt& p) { p.invert = true; }));
  EXPECT_TRUE(differs([](PlaceAt& p) { p.tones.to = 60; }));
  EXPECT_TRUE(differs([](PlaceAt& p) { p.hues.to = 60; }));
  EXPECT_TRUE(differs([](PlaceAt& p) { p.values[Param::place_hue] = 5; }));
  EXPECT_TRUE(differs([](PlaceAt& p) { p.values[Param::place_strength] = 5; }));
  EXPECT_TRUE(differs([](PlaceAt& p) { p.shapes[0].how = Combine::take; }));
  EXPECT_TRUE(differs([](PlaceAt& p) { p.shapes[0].values[Param::to_x] = 0.61; }));
  EXPECT_TRUE(differs([](PlaceAt& p) {
    p.shapes.push_back(painted({{0.1, 0, 10, false, {{0, 0}}}}));
  }));
  EXPECT_TRUE(differs([](PlaceAt& p) {
    p.shapes.push_back(painted({{0.1, 0, 11, false, {{0, 0}}}}));
  }));
}

// By the command line: planned from a file of places, exported, and compared with what it is
// without.
class PlacesByCommand : public testing::Test {
 protected:
  TempDir dir;
  fs::path places = dir / "places.json", shoot = dir / "a.tsukimi";
  test::Ran plan(const std::string& json, const std::string& more = "") {
    std::ofstream(places) << json;
    fs::remove(shoot);
    return test::run("plan --overwrite " + test::shot_folder().string() + " --places " +
                     places.string() + " --out " + shoot.string() + " " + more);
  }
  // Linear light of the frames as exported.
  std::vector<Image> exported(const std::string& name) {
    const auto r = test::run("export " + shoot.string() + " --to " + (dir / name).string() +
                             " --name f_## --format tiff16");
    EXPECT_EQ(r.code, 0) << r.err;
    std::vector<Image> out;
    for (int i = 1; i <= 12; ++i)
      out.push_back(read_frame(dir / name /
                               ("f_" + std::string(i < 10 ? "0" : "") + std::to_string(i) + ".tif"))
                        ->rgb);
    return out;
  }
};

constexpr const char* kSky =
    R"({"places":[{"name":"sky","strength":100,"invert":false,
        "shapes":[{"kind":"graduated","how":"add","keys":[
           {"frame":0,"from":[0.5,0.1],"to":[0.5,0.5],"easing":"straight"},
           {"frame":11,"from":[0.5,0.4],"to":[0.5,0.8]}]}],
        "keys":[{"frame":0,"values":{"exposure":-1.0}}]}]})";

TEST_F(PlacesByCommand, AKeyedGraduatedStopIsThereOnEveryExportedFrame) {
  // Dark enough for nothing to clip.
  ASSERT_EQ(plan(R"({"places":[]})", "--set exposure=-2").code, 0);
  const auto plain = exported("plain");
  const auto r = plan(kSky, "--set exposure=-2");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto with = exported("with");
  const Course time = course_of(*open_shoot(shoot));
  for (int frame = 0; frame < 12; ++frame) {
    const double t = time.place(frame) / time.place(11), from = 0.1 + 0.3 * t, to = 0.5 + 0.3 * t;
    const Image &a = plain[frame], &b = with[frame];
    double before = 1e9;
    for (int y = 0; y < a.height; ++y) {
      double p = 0, q = 0;
      for (int x = 0; x < a.width; ++x) p += a.planes[1].at(x, y), q += b.planes[1].at(x, y);
      const double stops = std::log2(q / p), at = (y + 0.5) / a.height;
      if (at < from || at > to) {
        EXPECT_NEAR(stops, at < from ? -1 : 0, 0.004) << frame << " " << y;
      }
      EXPECT_GE(stops, (before == 1e9 ? -1 : before) - 0.006) << frame << " " << y;
      before = stops;
    }
  }
}

// Painted below the ridge of the hill, over it into the sky: with `edges` the sky stays as it is,
// on every frame alike, since the edges are those of the key frame's picture.
TEST_F(PlacesByCommand, AStrokeFollowsTheRidgeOfItsKeyFrame) {
  auto stroke = [](const char* edges) {
    return std::string(R"({"places":[{"name":"hill","shapes":[{"kind":"painted","keys":[{"frame":0,
      "strokes":[{"radius":0.06,"softness":20,"points":[[0.15,0.24],[0.27,0.24]],"edges":)") +
           edges + R"(}]}]}],"keys":[{"frame":0,"values":{"exposure":-1.0}}]}]})";
  };
  ASSERT_EQ(plan(R"({"places":[]})", "--set exposure=-2").code, 0);
  const auto plain = exported("plain");
  ASSERT_EQ(plan(stroke("false"), "--set exposure=-2").code, 0);
  const auto over = exported("over");
  const auto r = plan(stroke("true"), "--set exposure=-2");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto along = exported("along");
  // Sky and hill by their light on the first frame, a few pixels off the ridge.
  const Plane& light = plain[0].planes[2];
  const int w = light.width, x = static_cast<int>(0.21 * w);
  int ridge = 0;
  for (int y = static_cast<int>(0.15 * light.height); y < light.height / 2; ++y)
    if (light.at(x, y) < 0.6f * light.at(x, y - 4)) {
      ridge = y;
      break;
    }
  ASSERT_GT(ridge, 0);
  const double above = 0.24 - 0.045 * w / light.height;  // within the stroke
  ASSERT_LT(above, (ridge - 6.0) / light.height) << "the stroke goes over the ridge";
  for (std::size_t frame : {std::size_t{0}, std::size_t{5}, std::size_t{11}}) {
    auto stops = [&](const std::vector<Image>& of, int y) {
      double a = 0, b = 0;
      for (int i = x - 3; i <= x + 3; ++i)
        a += of[frame].planes[1].at(i, y), b += plain[frame].planes[1].at(i, y);
      return std::log2(a / b);
    };
    const int sky = ridge - 6, hill = static_cast<int>(0.24 * light.height);
    EXPECT_LT(stops(over, sky), -0.8) << frame;
    EXPECT_NEAR(stops(along, sky), 0, 0.03) << frame;
    EXPECT_NEAR(stops(along, hill), -1, 0.03) << frame;
  }
}

TEST_F(PlacesByCommand, TheShootKeepsAllOfIt) {
  const std::string all =
      R"({"places":[{"name":"sky","on":true,"invert":true,"follow":true,"strength":80,
     "shapes":[{"kind":"graduated","how":"add","keys":[{"frame":0,"from":[0.5,0.1],"to":[0.5,0.5]}]},
               {"kind":"ellipse","how":"take","keys":[{"frame":3,"centre":[0.3,0.4],"radii":[0.1,0.2],"angle":15,"feather":40}]},
               {"kind":"painted","how":"cut","keys":[{"frame":0,"strokes":[{"radius":0.05,"softness":50,"flow":100,"erase":false,"edges":true,"points":[[0.1,0.2],[0.3,0.2]]}]},
                                                     {"frame":5,"strokes":[],"dissolves":false}]}],
     "tones":[0,80,10],"hues":[200,290,30],
     "keys":[{"frame":0,"values":{"exposure":-1.0,"temperature":-600}},
             {"frame":4,"values":{"exposure":0.5,"strength":50},"easing":"hold"}]},
    {"keys":[{"frame":0,"values":{"saturation":20}}]}]})";
  ASSERT_EQ(plan(all, "--set place.2.contrast=15 --set place.exposure=-2@4").code, 0);
  const Shoot s = *open_shoot(shoot);
  ASSERT_EQ(s.decisions.places.size(), 2u);
  const LocalPlace& sky = s.decisions.places[0];
  EXPECT_EQ(sky.name, "sky");
  EXPECT_TRUE(sky.invert);
  EXPECT_EQ(sky.follow, Follow::picture);
  EXPECT_TRUE(sky.shapes[2].painted[0].painting.strokes()[0].edges);
  EXPECT_EQ(sky.tones, (Limit{0, 80, 10}));
  EXPECT_EQ(sky.shapes[1].how, Combine::take);
  EXPECT_EQ(sky.shapes[1].values.keys[0].values[Param::ellipse_angle], 15);
  EXPECT_EQ(sky.shapes[2].painted[0].painting.strokes()[0].points[1], (Point{0.3, 0.2}));
  EXPECT_FALSE(sky.shapes[2].painted[1].dissolves);
  EXPECT_EQ(sky.values.keys[0].values[Param::place_strength], 80);
  EXPECT_EQ(sky.values.keys[1].values[Param::place_exposure], -2) << "--set, for that frame";
  EXPECT_EQ(sky.values.keys[1].easing, Easing::hold);
  EXPECT_EQ(s.decisions.places[1].name, "Place 2");
  EXPECT_EQ(s.decisions.places[1].values.keys[0].values[Param::place_contrast], 15);
  ASSERT_TRUE(save_shoot(s, dir / "b.tsukimi"));
  EXPECT_EQ(open_shoot(dir / "b.tsukimi")->decisions.places, s.decisions.places);
  // In another order of the frames, and in another list of them, keys stay with their frames.
  Sequence fewer = s.sequence;
  fewer.frames.erase(fewer.frames.begin(), fewer.frames.begin() + 3);
  for (std::size_t i = 0; i < fewer.frames.size(); ++i)
    fewer.frames[i].id = static_cast<FrameId>(i);
  find_facts(fewer);
  const Decisions moved = moved_to(s.decisions, s.sequence, fewer);
  EXPECT_EQ(moved.places[0].values.keys[0].frame, FrameId{1});
  EXPECT_EQ(moved.places[0].shapes[1].values.keys[0].frame, FrameId{0});
}

// Graduated shapes and ellipses go into a saved look as they are at a frame; what is painted stays.
TEST_F(PlacesByCommand, ASavedLookMayHoldPlaces) {
  const std::string two = R"({"places":[{"name":"sky","shapes":[
     {"kind":"graduated","keys":[{"frame":0,"from":[0.5,0.1],"to":[0.5,0.5]},{"frame":11,"from":[0.5,0.3],"to":[0.5,0.9]}]}],
     "keys":[{"frame":0,"values":{"exposure":-1}}]},
    {"name":"quay","shapes":[{"kind":"painted","keys":[{"frame":0,"strokes":[{"radius":0.1,"points":[[0,0]]}]}]}],
     "keys":[{"frame":0,"values":{"exposure":1}}]}]})";
  ASSERT_EQ(plan(two, "--set contrast=12").code, 0);
  const std::string look = (dir / "look.json").string();
  ASSERT_EQ(test::run("save-look " + shoot.string() +
                      " --frame 11 --name evening --with-places --to " + look)
                .code,
            0);
  ASSERT_EQ(plan(R"({"places":[]})", "--look " + look + "@4").code, 0);
  const Shoot s = *open_shoot(shoot);
  ASSERT_EQ(s.decisions.places.size(), 1u);
  const LocalPlace& sky = s.decisions.places[0];
  EXPECT_EQ(sky.name, "sky");
  EXPECT_EQ(sky.values.keys.at(0).frame, FrameId{4});
  EXPECT_EQ(sky.values.keys[0].values[Param::place_exposure], -1);
  EXPECT_NEAR(sky.shapes.at(0).values.keys.at(0).values[Param::to_y], 0.9, 1e-9);
  EXPECT_EQ(course_of(s).at(Param::contrast, 4), 12);
  // Without being asked for, none.
  ASSERT_EQ(plan(two).code, 0);
  ASSERT_EQ(test::run("save-look " + shoot.string() + " --frame 11 --name plain --to " +
                      (dir / "plain.json").string())
                .code,
            0);
  EXPECT_TRUE(read_look(dir / "plain.json")->places.empty());
}

TEST_F(PlacesByCommand, WhatIsWrongIsSaidWithItsPlace) {
  struct Wrong {
    const char *json, *word;
  };
  for (
      const Wrong& w : {
          Wrong{R"({"places":[{"shapes":[{"kind":"square","keys":[{"frame":0}]}]}]})",
                "places[0].shapes[0].kind"},
          {R"({"places":[{"keys":[{"frame":40,"values":{}}]}]})", "frame"},
          {R"({"places":[{"keys":[{"frame":0,"values":{"exposure":9}}]}]})", "exposure"},
          {R"({"places":[{"keys":[{"frame":0,"values":{"warmth":9}}]}]})", "warmth"},
          {R"({"places":[{"shape":[]}]})", "shape"},
          {R"({"places":[{"tones":[60,20,5]}]})", "tones"},
          {R"({"places":[{"shapes":[{"kind":"painted","keys":[{"frame":0,"strokes":[{"radius":0,"points":[[0,0]]}]}]}]}]})",
           "radius"},
          {R"({"places":[{"shapes":[{"kind":"painted","keys":[{"frame":0,"strokes":[{"radius":0.1,"points":[[0,"a"]]}]}]}]}]})",
           "points"},
          {R"({"places":[{"shapes":[{"kind":"ellipse","keys":[]}]}]})", "keys"},
          {R"({"places":7})", "places"},
          {R"({"places":)", "no JSON"},
          {R"([])", ""},
      }) {
    const auto r = plan(w.json);
    EXPECT_EQ(r.code, 1) << w.json;
    test::expect_one_line(r, w.word);
    EXPECT_FALSE(fs::exists(shoot)) << w.json;
  }
  EXPECT_EQ(plan(kSky, "--set place.2.exposure=1").code, 1) << "there is one";
  EXPECT_EQ(plan(kSky, "--set place.0.exposure=1").code, 2);
  EXPECT_EQ(plan(kSky, "--set place.vignette=1").code, 2);
}

}  // namespace
}  // namespace tsukimi
