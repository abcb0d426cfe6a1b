// SPDX-License-Identifier: GPL-3.0-or-later
// What framing costs: a picture that is turned, glides and is steadied beside one that is cut
// straight, live and at full size; measuring how the camera moved beside making the proxies that it
// is measured on; a frame made between two.
#include <benchmark/benchmark.h>

#include "bench/frames.h"
#include "develop/develop.h"
#include "film/motion.h"
#include "find_repairs/find_repairs.h"
#include "motion/optical_flow.h"
#include "proxy/proxy.h"

namespace tsukimi::bench {
namespace {

// Nine tenths of the frame, as an unsteady tripod had it.
PictureRecipe recipe(bool framed, Size frame, Size size, bool lens) {
  PictureRecipe r;
  r.look = graded();
  if (!lens)
    for (Param p : {Param::lens_profile, Param::distortion, Param::lens_vignetting,
                    Param::lateral_red, Param::lateral_blue})
      r.look[p] = info(p).preset;
  r.source.info.iso = 400;
  r.placement = {Rect{0.0503, 0.0509, 0.9, 0.9}, size};
  if (framed) r.placement = turned(r.placement, 0.31, frame);
  return r;
}

void live_framed(benchmark::State& state, bool framed, bool lens) {
  static const Proxy proxy = make_proxy(*read_frame(first_file(shot(1920, 1280, 1))));
  const PictureRecipe r = recipe(framed, {1920, 1280}, {960, 640}, lens);
  benchmark::DoNotOptimize(develop_proxy(proxy, r));
  for (auto _ : state) benchmark::DoNotOptimize(develop_proxy(proxy, r));
}

void full_framed(benchmark::State& state, bool framed, bool lens) {
  static const SensorFrame frame = *read_frame(first_file(shot(6000, 4000, 1)));
  const PictureRecipe r = recipe(framed, {6000, 4000}, {3840, 2560}, lens);
  benchmark::DoNotOptimize(develop_frame(frame, r));
  for (auto _ : state) benchmark::DoNotOptimize(develop_frame(frame, r));
}

constexpr int kFrames = 24;

void proxies_of_24(benchmark::State& state) {
  const Shoot shoot = *start_shoot(*scan_folder(shot(3000, 2000, kFrames)));
  for (auto _ : state)
    parallel_ranges(kFrames, 1, [&](int first, int last) {
      for (int i = first; i < last; ++i)
        on_one_thread([&] {
          const auto& f = shoot.sequence.frames[static_cast<std::size_t>(i)];
          benchmark::DoNotOptimize(make_proxy(*read_frame(shoot.sequence.folder / f.file)));
        });
    });
}

void motion_of_24(benchmark::State& state) {
  const Shoot shoot = *start_shoot(*scan_folder(shot(3000, 2000, kFrames)));
  ProxyStore store(shoot.sequence.folder);
  benchmark::DoNotOptimize(measure_motion(shoot, store));  // proxies are there from now on
  for (auto _ : state) benchmark::DoNotOptimize(measure_motion(shoot, store));
}

// In which nothing is found: what is found is measured too, and is soon done.
void dust_of_24(benchmark::State& state) {
  const Shoot shoot = *start_shoot(*scan_folder(shot(3000, 2000, kFrames)));
  ProxyStore store(shoot.sequence.folder);
  const auto frames = dust_frames(shoot, store);
  for (const auto& f : frames) benchmark::DoNotOptimize(f.proxy());  // there from now on
  for (auto _ : state) benchmark::DoNotOptimize(find_dust(frames));
}

void frame_between(benchmark::State& state) {
  static const Proxy proxy = make_proxy(*read_frame(first_file(shot(1920, 1280, 1))));
  const Image a = develop_proxy(proxy, recipe(false, {1920, 1280}, {960, 640}, false)),
              b = develop_proxy(proxy, recipe(true, {1920, 1280}, {960, 640}, false));
  for (auto _ : state) benchmark::DoNotOptimize(in_between(a, b, 0.5));
}

}  // namespace

#define TSUKIMI_FRAMED(what, iterations)                 \
  BENCHMARK_CAPTURE(what, straight, false, false)        \
      ->Unit(benchmark::kMillisecond)                    \
      ->MeasureProcessCPUTime()                          \
      ->UseRealTime()                                    \
      ->Iterations(iterations);                          \
  BENCHMARK_CAPTURE(what, steadied, true, false)         \
      ->Unit(benchmark::kMillisecond)                    \
      ->MeasureProcessCPUTime()                          \
      ->UseRealTime()                                    \
      ->Iterations(iterations);                          \
  BENCHMARK_CAPTURE(what, lens, false, true)             \
      ->Unit(benchmark::kMillisecond)                    \
      ->MeasureProcessCPUTime()                          \
      ->UseRealTime()                                    \
      ->Iterations(iterations);                          \
  BENCHMARK_CAPTURE(what, lens_and_steadied, true, true) \
      ->Unit(benchmark::kMillisecond)                    \
      ->MeasureProcessCPUTime()                          \
      ->UseRealTime()                                    \
      ->Iterations(iterations)
TSUKIMI_FRAMED(live_framed, 30);
TSUKIMI_FRAMED(full_framed, 4);
BENCHMARK(proxies_of_24)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);
BENCHMARK(motion_of_24)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);
BENCHMARK(dust_of_24)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);
BENCHMARK(frame_between)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(6);

}  // namespace tsukimi::bench
