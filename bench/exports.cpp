// SPDX-License-Identifier: GPL-3.0-or-later
// Exports as photographers meet them, frame after frame, beside their parts by themselves: the
// engine that only develops, and ffmpeg that only encodes.
#include <benchmark/benchmark.h>

#include <cstdlib>

#include "bench/frames.h"
#include "document/values.h"
#include "film/checks.h"
#include "output/export_job.h"

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

void export_job(benchmark::State& state, Kind kind, const ExportJob& job, int frames) {
  Shoot shoot = graded_shoot(frames, kind);
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
