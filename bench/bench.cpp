// Speeds, side by side with what general-purpose libraries need for the same step. scripts/bench
// prints the ratios.
#include <benchmark/benchmark.h>
#include <libraw/libraw.h>

#include <filesystem>

#include "develop/demosaic.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "frames/sequence.h"
#include "shoot/light_plan.h"
#include "sim/simulate.h"

namespace {
using namespace tsukimi;
namespace fs = std::filesystem;

// A few frames of the harbour at each size, made once in the temporary folder.
const fs::path& shot(int width, int height, int frames) {
  static std::map<std::pair<int, int>, fs::path> made;
  auto& folder = made[{width, frames}];
  if (folder.empty()) {
    folder = fs::temp_directory_path() /
             ("tsukimi-bench-" + std::to_string(width) + "x" + std::to_string(frames));
    sim::SimulateOptions o;
    o.size = {width, height};
    o.camera.frames = frames;
    o.folder = folder;
    if (!fs::exists(folder))
      if (const auto ok = sim::simulate(o); !ok) throw std::runtime_error(ok.error().message);
  }
  return folder;
}

fs::path first_file(const fs::path& folder) { return folder / "TSK_0412.dng"; }

Look graded() {
  Look look = neutral_look(6200, 4);
  look[Param::exposure] = 0.4;
  look[Param::contrast] = 30;
  look[Param::saturation] = 20;
  return look;
}

void live_proxy(benchmark::State& state) {
  SensorFrame frame = *read_frame(first_file(shot(1920, 1280, 1)));
  const Proxy proxy = make_proxy(frame);  // 960x640
  const FrameSettings s{graded(), 0.2, {}, {}};
  for (auto _ : state) benchmark::DoNotOptimize(to_srgb8(develop_proxy(proxy, s)).data.data());
  state.SetLabel(std::to_string(proxy.width) + "x" + std::to_string(proxy.height));
}
BENCHMARK(live_proxy)->Unit(benchmark::kMillisecond)->UseRealTime();

void open_and_unpack_libraw(benchmark::State& state) {
  const auto file = first_file(shot(6000, 4000, 1));
  for (auto _ : state) {
    auto raw = std::make_unique<LibRaw>();
    if (raw->open_file(file.c_str()) || raw->unpack()) state.SkipWithError("unreadable");
  }
}
BENCHMARK(open_and_unpack_libraw)->Unit(benchmark::kMillisecond)->UseRealTime();

void read_and_make_proxy(benchmark::State& state) {
  const auto file = first_file(shot(6000, 4000, 1));
  for (auto _ : state) benchmark::DoNotOptimize(make_proxy(*read_frame(file)).width);
}
BENCHMARK(read_and_make_proxy)->Unit(benchmark::kMillisecond)->UseRealTime();

void libraw_ahd(benchmark::State& state) {
  const auto file = first_file(shot(6000, 4000, 1));
  for (auto _ : state) {
    auto raw = std::make_unique<LibRaw>();
    raw->imgdata.params.user_qual = 3;
    if (raw->open_file(file.c_str()) || raw->unpack() || raw->dcraw_process())
      state.SkipWithError("unreadable");
  }
}
BENCHMARK(libraw_ahd)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(2);

void full_quality(benchmark::State& state) {
  const auto file = first_file(shot(6000, 4000, 1));
  const FrameSettings s{graded(), 0.2, crop_to_aspect({6000, 4000}, 16.0 / 9), {3840, 2160}};
  for (auto _ : state)
    benchmark::DoNotOptimize(to_srgb16(develop_frame(*read_frame(file), s)).data.data());
}
BENCHMARK(full_quality)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(3);

void scan_180(benchmark::State& state) {
  const auto& folder = shot(240, 160, 180);
  for (auto _ : state) benchmark::DoNotOptimize(scan_folder(folder)->frames.size());
}
BENCHMARK(scan_180)->Unit(benchmark::kMillisecond)->UseRealTime();

void plan_light_180(benchmark::State& state) {
  const auto& folder = shot(240, 160, 180);
  Shoot shoot = *start_shoot(*scan_folder(folder));
  shoot.decisions.level.on = shoot.decisions.deflicker.on = true;
  ProxyStore store(folder);
  const auto grids = measure_light(shoot, store);
  const auto as_shot = as_shot_brightness(shoot, grids);
  for (auto _ : state) benchmark::DoNotOptimize(plan_light(shoot, grids, as_shot).goal.size());
}
BENCHMARK(plan_light_180)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace

BENCHMARK_MAIN();
