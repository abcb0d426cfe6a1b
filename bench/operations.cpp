// SPDX-License-Identifier: GPL-3.0-or-later
// Every operation alone: what one adjustment costs on a live picture (960x640), what the large
// steps cost on 24 megapixels.
#include <benchmark/benchmark.h>

#include "base/file.h"
#include "bench/frames.h"
#include "develop/demosaic.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "develop/lens.h"
#include "develop/placing.h"
#include "develop/propose.h"
#include "output/encode.h"
#include "proxy/proxy.h"

namespace tsukimi::bench {
namespace {

PictureRecipe live_settings(Look look) {
  PictureRecipe s;
  s.look = std::move(look);
  s.source.info.iso = 400;
  return s;
}

const Proxy& live_proxy() {
  static const Proxy proxy = make_proxy(*read_frame(first_file(shot(1920, 1280, 1))));
  return proxy;
}

const SensorFrame& large_frame() {
  static const SensorFrame frame = *read_frame(first_file(shot(6000, 4000, 1)));
  return frame;
}

// The picture that an adjustment is made on, and nothing else.
void one_adjustment(benchmark::State& state, const Look& look) {
  const PictureRecipe s = live_settings(look);
  const Image base = develop_proxy(live_proxy(), live_settings(neutral_look(6200, 4)));
  const bool lens = corrects_lens(look, nullptr);
  for (auto _ : state) {
    state.PauseTiming();
    Image image = base;
    state.ResumeTiming();
    if (lens) {
      PictureRecipe whole = s;
      whole.placement.size = image.size();
      image = warp(image, placing(whole, image.size(), 1), image.size());
    }
    apply_look(image, s, 3);
    benchmark::DoNotOptimize(image.planes[0].data.data());
  }
}

// A JPEG of 24 megapixels into linear light, as proxies and exports of stills begin.
void read_jpeg_24(benchmark::State& state) {
  static const auto file = [] {
    const auto path = std::filesystem::temp_directory_path() / "tsukimi-bench-24.jpg";
    PictureRecipe s = live_settings(neutral_look(6200, 4));
    s.placement.size = {6000, 4000};
    const auto bytes = encode_jpeg(to_srgb8(develop_frame(large_frame(), s)), 92);
    (void)write_file(path, *bytes, IfExists::replace, false);
    return path;
  }();
  for (auto _ : state) benchmark::DoNotOptimize(read_frame(file)->rgb.width);
}

void demosaic_24(benchmark::State& state) {
  const auto& frame = large_frame();
  for (auto _ : state) benchmark::DoNotOptimize(demosaic(frame.mosaic, {{2, 1, 1.5f}, true}).width);
}

void cut_24(benchmark::State& state, bool lens, double degrees = 0) {
  PictureRecipe s = live_settings(neutral_look(6200, 4));
  s.placement = {crop_to_aspect({6000, 4000}, 16.0 / 9), {3840, 2160}};
  if (degrees != 0) s.placement = turned(s.placement, degrees, {6000, 4000});
  if (lens) s.look[Param::distortion] = s.look[Param::lateral_red] = 20;
  for (auto _ : state) benchmark::DoNotOptimize(develop_frame(large_frame(), s).width);
}

void display_8(benchmark::State& state) {
  const Image image = develop_proxy(live_proxy(), live_settings(neutral_look(6200, 4)));
  for (auto _ : state) benchmark::DoNotOptimize(to_srgb8(image).data.data());
}

void proposal(benchmark::State& state) {
  for (auto _ : state)
    benchmark::DoNotOptimize(propose_look(live_proxy(), neutral_look(6200, 4), 0).numbers[0]);
}

void proxy_through_the_cache(benchmark::State& state) {
  const auto file = std::filesystem::temp_directory_path() / "tsukimi-bench.proxy";
  for (auto _ : state) {
    (void)save_proxy(live_proxy(), file);
    benchmark::DoNotOptimize(load_proxy(file)->width);
  }
}

benchmark::internal::Benchmark* add(const std::string& name,
                                    const std::function<void(benchmark::State&)>& run) {
  return benchmark::RegisterBenchmark(name.c_str(), run)
      ->Unit(benchmark::kMillisecond)
      ->UseRealTime();
}

// A fixed number of times: one that costs nothing would be tried for ever.
void adjust(const std::string& name, const Look& look) {
  add("adjust/" + name, [look](auto& s) { one_adjustment(s, look); })->Iterations(24);
}

}  // namespace

void add_operations() {
  adjust("none", neutral_look(6200, 4));
  for (const auto& row : kLook.rows()) {
    if (row.id == Param::temperature || row.id == Param::tint || row.id == Param::exposure)
      continue;  // part of the one matrix that every picture goes through
    Look look = neutral_look(6200, 4);
    look[row.id] = row.preset + 0.3 * ((row.preset < row.max ? row.max : row.min) - row.preset);
    const bool numbered = std::string(row.name).find_first_of("123456789") != std::string::npos;
    if (numbered && std::string(row.name).find("_2_") == std::string::npos) continue;  // all alike
    adjust(row.name, look);
  }
  add("read_jpeg_24_megapixels", read_jpeg_24);
  add("demosaic_24_megapixels", demosaic_24);
  add("cut_24_megapixels", [](auto& s) { cut_24(s, false); });
  add("cut_24_megapixels_with_lens", [](auto& s) { cut_24(s, true); });
  for (double degrees : {1, 3, 15})
    add("cut_24_megapixels_turned/" + std::to_string(static_cast<int>(degrees)),
        [degrees](auto& s) { cut_24(s, false, degrees); });
  add("display_8_bit", display_8);
  add("proposal", proposal);
  add("proxy_through_the_cache", proxy_through_the_cache);
}

}  // namespace tsukimi::bench
