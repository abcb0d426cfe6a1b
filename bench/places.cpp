// SPDX-License-Identifier: GPL-3.0-or-later
// Three places, one of them painted with 200 strokes, and ten repairs: what they cost beside a look
// that uses every adjustment, live and at full size.
#include <benchmark/benchmark.h>

#include <cmath>

#include "bench/frames.h"
#include "develop/develop.h"
#include "proxy/proxy.h"

namespace tsukimi::bench {
namespace {

Painting strokes(int count) {
  std::vector<Stroke> out;
  for (int i = 0; i < count; ++i) {
    const double x = 0.05 + 0.9 * (i % 20) / 20, y = 0.3 + 0.6 * (i / 20) / 10.0;
    Stroke s{0.02 + 0.002 * (i % 5), 60, 80, i % 7 == 6, {}};
    for (int k = 0; k < 24; ++k) s.points.push_back({x + 0.004 * k, y + 0.01 * (k % 5)});
    out.push_back(std::move(s));
  }
  return Painting(std::move(out));
}

enum class Places { none, usual, every_adjustment };

std::vector<PlaceAt> three_places(Places how) {
  PlaceAt sky, lamp, water;
  ShapeAt shape;
  shape.values = presets(kGraduated);
  sky.shapes = {shape};
  shape.kind = ShapeKind::ellipse;
  shape.values = presets(kEllipse);
  lamp.shapes = {shape};
  shape.kind = ShapeKind::painted;
  shape.painting = strokes(200);
  water.shapes = {shape};
  std::vector<PlaceAt> out{sky, lamp, water};
  for (PlaceAt& p : out) p.values = presets(kPlace);
  out[0].tones = {30, 100, 20};
  if (how == Places::every_adjustment) {
    for (PlaceAt& p : out)
      for (const auto& row : kPlace.rows())
        if (row.id != Param::place_strength) p.values[row.id] = 0.15 * row.max;
    return out;
  }
  auto set = [&](int place, std::initializer_list<std::pair<Param, double>> values) {
    for (const auto& [p, v] : values) out[static_cast<std::size_t>(place)].values[p] = v;
  };
  set(0, {{Param::place_exposure, -0.8},
          {Param::place_temperature, -600},
          {Param::place_haze, 20},
          {Param::place_highlights, -30},
          {Param::place_saturation, 10}});
  set(1, {{Param::place_exposure, -0.6},
          {Param::place_highlights, -60},
          {Param::place_saturation, -20}});
  set(2, {{Param::place_exposure, 0.4},
          {Param::place_shadows, 30},
          {Param::place_contrast, 15},
          {Param::place_local_contrast, 20}});
  return out;
}

std::vector<RepairAt> ten_repairs() {
  std::vector<RepairAt> out;
  for (int i = 0; i < 10; ++i) {
    const Point at{0.08 + 0.09 * i, 0.2 + 0.05 * (i % 3)}, source{at.x, at.y + 0.2};
    if (i < 5)
      out.push_back({{DustAt{at, 0.008, 0.2}}});
    else if (i < 9)
      out.push_back({{SpotAt{at, source, 0.008}}});
    else {
      AreaAt area;
      area.polygon = {{0.88, 0.3}, {0.95, 0.3}, {0.95, 0.36}, {0.88, 0.36}};
      area.at = middle_of(area.polygon);
      area.source = source;
      out.push_back({{std::move(area)}});
    }
  }
  return out;
}

PictureRecipe recipe(Places how) {
  PictureRecipe r;
  r.look = graded();
  r.source.info.iso = 400;
  if (how != Places::none) r.places = three_places(how), r.repairs = ten_repairs();
  return r;
}

void live(benchmark::State& state, Places how) {
  static const Proxy proxy = make_proxy(*read_frame(first_file(shot(1920, 1280, 1))));
  const PictureRecipe r = recipe(how);
  benchmark::DoNotOptimize(develop_proxy(proxy, r));
  for (auto _ : state) benchmark::DoNotOptimize(develop_proxy(proxy, r));
}

void full(benchmark::State& state, Places how) {
  static const SensorFrame frame = *read_frame(first_file(shot(6000, 4000, 1)));
  PictureRecipe r = recipe(how);
  r.placement.size = {3840, 2160};
  benchmark::DoNotOptimize(develop_frame(frame, r));
  for (auto _ : state) benchmark::DoNotOptimize(develop_frame(frame, r));
}

// A stroke that grows under the hand, over 200 others: until its picture is there.
void brush(benchmark::State& state, bool edges) {
  static const Proxy proxy = make_proxy(*read_frame(first_file(shot(1920, 1280, 1))));
  PictureRecipe r = recipe(Places::usual);
  Image stops = unpack(proxy);
  for (Plane& p : stops.planes)
    for (float& v : p.data) v = std::log2(std::max(v, 0.0f) + 0.005f);
  r.places[2].shapes[0].guide.guide = std::make_shared<EdgeGuide>(stops);
  const Painting before = r.places[2].shapes[0].painting;
  Stroke stroke{0.06, 60, 80, false, {{0.2, 0.2}}, edges};
  benchmark::DoNotOptimize(develop_proxy(proxy, r));
  for (auto _ : state) {
    stroke.points.push_back({0.2 + 0.002 * static_cast<double>(stroke.points.size()), 0.3});
    r.places[2].shapes[0].painting = before.with(stroke);
    benchmark::DoNotOptimize(develop_proxy(proxy, r));
  }
}

}  // namespace

BENCHMARK_CAPTURE(live, without, Places::none)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(live, places_and_repairs, Places::usual)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(live, places_with_everything_and_repairs, Places::every_adjustment)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(brush, freely, false)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(60);
BENCHMARK_CAPTURE(brush, along_edges, true)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(60);
BENCHMARK_CAPTURE(full, without, Places::none)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(4);
BENCHMARK_CAPTURE(full, places_and_repairs, Places::usual)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(4);
BENCHMARK_CAPTURE(full, places_with_everything_and_repairs, Places::every_adjustment)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(4);

}  // namespace tsukimi::bench
