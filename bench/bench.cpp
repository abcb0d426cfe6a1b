// SPDX-License-Identifier: GPL-3.0-or-later
// Speeds, side by side with what general-purpose libraries need for the same step. scripts/bench
// prints the ratios.
#include <benchmark/benchmark.h>

#include <libraw/libraw.h>
#include <chrono>
#include <cstdio>
#include <exiv2/exiv2.hpp>

#include <jpeglib.h>

#include <filesystem>

#include "base/file.h"
#include "bench/frames.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "document/files/shoot_file.h"
#include "film/light_plan.h"
#include "folder/sequence.h"
#include "output/encode.h"

namespace tsukimi::bench {
namespace fs = std::filesystem;

namespace {

void live_proxy(benchmark::State& state) {
  SensorFrame frame = *read_frame(first_file(shot(1920, 1280, 1)));
  const Proxy proxy = make_proxy(frame);  // 960x640
  PictureRecipe s;
  s.look = graded();
  s.light.stops = 0.2;
  s.source.info.iso = 400;
  for (auto _ : state) benchmark::DoNotOptimize(to_srgb8(develop_proxy(proxy, s)).data.data());
  state.SetLabel(std::to_string(proxy.width) + "x" + std::to_string(proxy.height));
}
BENCHMARK(live_proxy)->Unit(benchmark::kMillisecond)->MeasureProcessCPUTime()->UseRealTime();

// Of files that are not packed, and of those that are, without loss.
void open_and_unpack_libraw(benchmark::State& state, Kind kind) {
  const auto file = first_file(shot(6000, 4000, 1, kind));
  for (auto _ : state) {
    auto raw = std::make_unique<LibRaw>();
    if (raw->open_file(file.c_str()) || raw->unpack()) state.SkipWithError("unreadable");
  }
}
BENCHMARK_CAPTURE(open_and_unpack_libraw, raw, Kind::raw)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();
BENCHMARK_CAPTURE(open_and_unpack_libraw, packed, Kind::packed)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();
BENCHMARK_CAPTURE(open_and_unpack_libraw, bits14, Kind::bits14)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();

void read_and_make_proxy(benchmark::State& state, Kind kind) {
  const auto file = first_file(shot(6000, 4000, 1, kind));
  for (auto _ : state) benchmark::DoNotOptimize(make_proxy(*read_frame(file)).width);
}
BENCHMARK_CAPTURE(read_and_make_proxy, raw, Kind::raw)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();
BENCHMARK_CAPTURE(read_and_make_proxy, packed, Kind::packed)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();
BENCHMARK_CAPTURE(read_and_make_proxy, bits14, Kind::bits14)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();
BENCHMARK_CAPTURE(read_and_make_proxy, jpeg, Kind::jpeg)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();

// Decoding to rows of RGB, which are thrown away.
void libjpeg_alone(benchmark::State& state, Kind kind) {
  const auto bytes = *read_file(first_file(shot(6000, 4000, 1, kind)));
  for (auto _ : state) {
    jpeg_decompress_struct jpeg;
    jpeg_error_mgr errors;
    jpeg.err = jpeg_std_error(&errors);
    jpeg_create_decompress(&jpeg);
    jpeg_mem_src(&jpeg, bytes.data(), bytes.size());
    jpeg_read_header(&jpeg, TRUE);
    jpeg_start_decompress(&jpeg);
    std::vector<unsigned char> row(std::size_t{jpeg.output_width} * 3);
    unsigned char* to = row.data();
    while (jpeg.output_scanline < jpeg.output_height) jpeg_read_scanlines(&jpeg, &to, 1);
    benchmark::DoNotOptimize(row.data());
    jpeg_finish_decompress(&jpeg);
    jpeg_destroy_decompress(&jpeg);
  }
}
BENCHMARK_CAPTURE(libjpeg_alone, jpeg, Kind::jpeg)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime();

void libraw_ahd(benchmark::State& state, Kind kind) {
  const auto file = first_file(shot(6000, 4000, 1, kind));
  for (auto _ : state) {
    auto raw = std::make_unique<LibRaw>();
    raw->imgdata.params.user_qual = 3;
    if (raw->open_file(file.c_str()) || raw->unpack() || raw->dcraw_process())
      state.SkipWithError("unreadable");
  }
}
BENCHMARK_CAPTURE(libraw_ahd, raw, Kind::raw)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);
BENCHMARK_CAPTURE(libraw_ahd, packed, Kind::packed)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);
BENCHMARK_CAPTURE(libraw_ahd, bits14, Kind::bits14)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);

void full_quality(benchmark::State& state) {
  const auto file = first_file(shot(6000, 4000, 1));
  PictureRecipe s;
  s.look = graded();
  s.light.stops = 0.2;
  s.placement = {crop_to_aspect({6000, 4000}, 16.0 / 9), {3840, 2160}};
  s.source.info.iso = 400;
  // A new file, as an export makes it: one that takes another's place is written to the disk at
  // once by some file systems.
  const auto out = fs::temp_directory_path() / "tsukimi-bench.tif";
  auto make = [&] {
    const auto picture = to_srgb16(develop_frame(*read_frame(file), s));
    const auto written = write_file(
        out, [&](int fd) { return write_tiff(fd, picture, Compression::none, {}); }, IfExists::keep,
        false);
    if (!written) state.SkipWithError("not written");
  };
  fs::remove(out);
  make();  // the first frame of a program finds no memory of its own yet
  for (auto _ : state) {
    state.PauseTiming();
    fs::remove(out);
    state.ResumeTiming();
    make();
  }
  fs::remove(out);
}
BENCHMARK(full_quality)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(3);

// 2,000 names for one raw file of 50 MB.
const fs::path& many() {
  static const fs::path folder = [] {
    const fs::path made = fs::temp_directory_path() / "tsukimi-bench-2000";
    if (fs::exists(made)) return made;
    const auto file = first_file(shot(6000, 4000, 1));
    fs::create_directories(made);
    for (int i = 0; i < 2000; ++i)
      fs::create_hard_link(file, made / ("TSK_" + std::to_string(1000 + i) + ".dng"));
    return made;
  }();
  return folder;
}

void scan_2000(benchmark::State& state) {
  for (auto _ : state) benchmark::DoNotOptimize(read_folder(many())->frames.size());
}
BENCHMARK(scan_2000)->Unit(benchmark::kMillisecond)->MeasureProcessCPUTime()->UseRealTime();

void scan_2000_exiv2(benchmark::State& state) {
  std::vector<fs::path> files;
  for (const auto& e : fs::directory_iterator(many())) files.push_back(e.path());
  Exiv2::XmpParser::initialize();
  for (auto _ : state)
    parallel_ranges(static_cast<int>(files.size()), 4, [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        auto image = Exiv2::ImageFactory::open(files[i].string());
        image->readMetadata();
        benchmark::DoNotOptimize(image->exifData().count());
      }
    });
}
BENCHMARK(scan_2000_exiv2)->Unit(benchmark::kMillisecond)->MeasureProcessCPUTime()->UseRealTime();

// A shoot of 3,000 frames whose proxies are in the cache: from file to brightness and suspects.
void open_3000(benchmark::State& state) {
  const auto& folder = shot(480, 320, 3000);
  const fs::path file = fs::temp_directory_path() / "tsukimi-bench-3000.tsukimi";
  (void)save_shoot(*start_shoot(*scan_folder(folder)), file);
  ProxyStore store(folder);
  {
    Shoot warm = *open_shoot(file);
    (void)measure_frames(warm, store);
  }
  double opened = 0, measured = 0;
  for (auto _ : state) {
    const auto a = std::chrono::steady_clock::now();
    Shoot shoot = *open_shoot(file);
    const auto b = std::chrono::steady_clock::now();
    const auto frames = measure_frames(shoot, store);
    benchmark::DoNotOptimize(frames.suspects.size());
    benchmark::DoNotOptimize(plan_light(shoot, frames.grids).goal.size());
    opened += std::chrono::duration<double>(b - a).count();
    measured += std::chrono::duration<double>(std::chrono::steady_clock::now() - b).count();
  }
  state.counters["opened_s"] = opened / static_cast<double>(state.iterations());
  state.counters["measured_s"] = measured / static_cast<double>(state.iterations());
}
BENCHMARK(open_3000)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(2);

void plan_light_180(benchmark::State& state) {
  const auto& folder = shot(240, 160, 180);
  Shoot shoot = *start_shoot(*scan_folder(folder));
  shoot.decisions.level.on = shoot.decisions.deflicker.on = true;
  ProxyStore store(folder);
  const auto grids = measure_light(shoot, store);
  const auto as_shot = light_as_shot(shoot, grids);
  for (auto _ : state) benchmark::DoNotOptimize(plan_light(shoot, grids, as_shot).goal.size());
}
BENCHMARK(plan_light_180)->Unit(benchmark::kMillisecond)->MeasureProcessCPUTime()->UseRealTime();

// So many frames of one evening after the other, with their grids.
struct LongShoot {
  Shoot shoot;
  LightGrids grids;
  explicit LongShoot(int frames) {
    const auto& folder = shot(240, 160, 180);
    shoot = *start_shoot(*scan_folder(folder));
    shoot.decisions.level.on = shoot.decisions.deflicker.on = true;
    ProxyStore store(folder);
    const auto some = measure_light(shoot, store);
    const std::vector<FrameInfo> evening = std::move(shoot.sequence.frames);
    shoot.sequence.frames.clear();
    shoot.sequence.places.clear();
    for (int i = 0; i < frames; ++i) {
      const auto of = static_cast<std::size_t>(i) % evening.size();
      shoot.sequence.frames.push_back(evening[of]);
      shoot.sequence.frames.back().id = static_cast<FrameId>(i);
      shoot.sequence.frames.back().time = 1e9 + 20.0 * i;
      shoot.sequence.places.push_back(i);
      grids.push_back(some[of]);
    }
  }
};

// From known grids to corrections.
void plan_light_3000(benchmark::State& state) {
  const LongShoot of(3000);
  for (auto _ : state) benchmark::DoNotOptimize(plan_light(of.shoot, of.grids).goal.size());
}
BENCHMARK(plan_light_3000)->Unit(benchmark::kMillisecond)->MeasureProcessCPUTime()->UseRealTime();

// What a hand that drags "Keep changes slower than" waits for.
void drag_period_10000(benchmark::State& state) {
  LongShoot of(10000);
  const auto as_shot = light_as_shot(of.shoot, of.grids);
  const LightPlan plan = plan_light(of.shoot, of.grids, as_shot);
  for (auto _ : state) {
    double& period = of.shoot.decisions.deflicker.period;
    period = period < 60 ? period + 1 : 10;
    benchmark::DoNotOptimize(plan_again(of.shoot, plan, as_shot).goal.size());
  }
}
BENCHMARK(drag_period_10000)->Unit(benchmark::kMillisecond)->MeasureProcessCPUTime()->UseRealTime();

}  // namespace
}  // namespace tsukimi::bench

int main(int argc, char** argv) {
  tsukimi::keep_freed_memory();  // as the programs do
  benchmark::Initialize(&argc, argv);
  tsukimi::bench::add_operations();
  benchmark::RunSpecifiedBenchmarks();
  return 0;
}
