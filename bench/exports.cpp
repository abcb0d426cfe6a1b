// SPDX-License-Identifier: GPL-3.0-or-later
// Exports as photographers meet them, frame after frame, beside their parts by themselves: the
// engine that only develops, and ffmpeg that only encodes.
#include <benchmark/benchmark.h>

#include <cstdlib>
#include <functional>
#include <numbers>

#include "bench/frames.h"
#include "document/values.h"
#include "film/checks.h"
#include "output/export_job.h"
#include "sky/sky_fit.h"

namespace tsukimi::bench {
namespace fs = std::filesystem;
namespace {

constexpr Size kUhd{3840, 2160};

// In memory where that can be: how fast a disk is says nothing of the program.
fs::path target() {
  const fs::path memory = "/dev/shm";
  return (fs::exists(memory) ? memory : fs::temp_directory_path()) / "tsukimi-bench-export";
}

Shoot graded_shoot(int frames, Kind kind) {
  Shoot shoot = *start_shoot(*scan_folder(shot(6000, 4000, frames, kind)));
  const Look look = graded();
  for (const auto& row : kLook.rows()) set_value(shoot, row.id, 0, look[row.id]);
  shoot.decisions.framing = {"16:9", crop_to_aspect({6000, 4000}, 16.0 / 9)};
  know_hot_pixels(shoot);  // once for a shoot, however many frames it has
  return shoot;
}

ExportSettings frames_of(FileFormat format) {
  ExportSettings out;
  out.folder = (target() / "frames").string();
  out.pattern = "f_####";
  out.format = format;
  out.pixels = {kUhd, 0};
  return out;
}

// The time of a frame.
void count_frames(benchmark::State& state, int frames) {
  state.counters["frame_ms"] = benchmark::Counter(
      frames, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

// Above its upper half stars turn, a frame every 18 s.
void add_trails(Shoot& shoot) {
  SkyFit fit;
  fit.problem = SkyProblem::none;
  fit.lens = {28.0 / 36, 0, 1.5};
  fit.pole = fit.lens.ray({0.4, -0.2});
  for (std::size_t k = 0; k < shoot.sequence.places.size(); ++k)
    fit.frames.push_back({rotation_about(fit.pole, 2 * std::numbers::pi * 18 *
                                                       static_cast<double>(k) / kSiderealDay),
                          100, true, true});
  shoot.sky = std::make_shared<const SkyFit>(std::move(fit));
  Decisions& d = shoot.decisions;
  d.places.push_back(new_place("Sky", ShapeKind::graduated, shoot.sequence.id_of(0)));
  d.places.back().sky = true;
  d.trails.kind = TrailKind::grow;
}

void export_job(benchmark::State& state, Kind kind, const ExportJob& job, int frames,
                const std::function<void(Shoot&)>& change = {}) {
  Shoot shoot = graded_shoot(frames, kind);
  if (change) change(shoot);
  for (auto _ : state) {
    fs::remove_all(target());
    const auto report = run_export(shoot, {}, job, [](const char*) { return Work{}; });
    if (!report || !report->complete()) state.SkipWithError("not exported");
  }
  fs::remove_all(target());
  count_frames(state, frames);
}

void export_frame(benchmark::State& state, Kind kind) {
  export_job(state, kind, {{frames_of(FileFormat::tiff16)}, {}}, 6);
}
BENCHMARK_CAPTURE(export_frame, raw, Kind::raw)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);
BENCHMARK_CAPTURE(export_frame, packed, Kind::packed)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);
BENCHMARK_CAPTURE(export_frame, bits14, Kind::bits14)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);
BENCHMARK_CAPTURE(export_frame, brackets, Kind::brackets)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);
void export_frame_with_trails(benchmark::State& state, bool hold) {
  export_job(state, Kind::raw, {{frames_of(FileFormat::tiff16)}, {}}, 6, [&](Shoot& s) {
    add_trails(s);
    if (hold) s.decisions.trails = {}, s.decisions.framing.steady.how = Steadying::stars;
  });
}
BENCHMARK_CAPTURE(export_frame_with_trails, trails, false)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);
BENCHMARK_CAPTURE(export_frame_with_trails, held_stars, true)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);
BENCHMARK_CAPTURE(export_frame, jpeg, Kind::jpeg)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);

// The pass with a sink that takes nothing.
struct Nothing : Sink {
  bool has(int) const override { return false; }
  Rest put(const MadeFrame&) override { return {}; }
  void miss(int, const Error&) override {}
  bool broken() const override { return false; }
};

constexpr int kFrames = 12;

void engine_alone(benchmark::State& state) {
  const Shoot shoot = graded_shoot(kFrames, Kind::raw);
  const auto plan = *plan_export(shoot, {}, {}, kUhd);
  for (auto _ : state) {
    Nothing nothing;
    const Route route[] = {{plan, {&nothing}}};
    develop_pass(route, {});
  }
  count_frames(state, kFrames);
}
BENCHMARK(engine_alone)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);

void frames_uhd(benchmark::State& state) {
  export_job(state, Kind::raw, {{frames_of(FileFormat::tiff16)}, {}}, kFrames);
}
BENCHMARK(frames_uhd)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);

FilmSettings uhd_film() {
  FilmSettings out = *usual_film(".mp4");
  out.file = (target() / "film.mp4").string();
  out.pixels = {kUhd, 0};
  return out;
}

void film_uhd(benchmark::State& state) {
  export_job(state, Kind::raw, {{}, {uhd_film()}}, kFrames);
}
BENCHMARK(film_uhd)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);

// The same pictures, encoded by ffmpeg with the same settings (docs/formats.md).
void ffmpeg_uhd(benchmark::State& state) {
  Shoot shoot = graded_shoot(kFrames, Kind::raw);
  fs::remove_all(target());
  const ExportJob job{{frames_of(FileFormat::tiff8)}, {}};
  (void)run_export(shoot, {}, job, [](const char*) { return Work{}; });
  const std::string raw = (target() / "frames.yuv").string();
  // Read and brought to Y'CbCr before: encoding is what is timed.
  if (std::system(("ffmpeg -v error -y -framerate 24 -i " +
                   (target() / "frames/f_%04d.tif").string() + " -pix_fmt yuv420p -f rawvideo " +
                   raw)
                      .c_str()) != 0)
    state.SkipWithError("no ffmpeg");
  const std::string encode = "ffmpeg -v error -y -f rawvideo -s 3840x2160 -r 24 -i " + raw +
                             " -c:v libx264 -preset medium -crf 12 -x264-params "
                             "open-gop=0:mbtree=0 " +
                             (target() / "f.mp4").string();
  for (auto _ : state)
    if (std::system(encode.c_str()) != 0) state.SkipWithError("not encoded");
  fs::remove_all(target());
  count_frames(state, kFrames);
}
BENCHMARK(ffmpeg_uhd)
    ->Unit(benchmark::kMillisecond)
    ->MeasureProcessCPUTime()
    ->UseRealTime()
    ->Iterations(1);

}  // namespace
}  // namespace tsukimi::bench
