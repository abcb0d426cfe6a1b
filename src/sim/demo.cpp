// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/demo.h"

#include "base/cache.h"
#include "base/part_of_work.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/checks.h"
#include "film/light_plan.h"
#include "film/propose_sky.h"
#include "folder/sequence.h"

namespace tsukimi::sim {
namespace fs = std::filesystem;
namespace {

constexpr int kAfternoon = 0, kDusk = 92, kNight = 179;

struct Value {
  Param param;
  double afternoon, dusk, night;
};
constexpr Value kLook[] = {
    {Param::exposure, 0.15, 0.6, 0.5},
    {Param::temperature, 6100, 6600, 5300},
    {Param::tint, 4, 2, 6},
    {Param::contrast, 14, 22, 34},
    {Param::saturation, 6, 10, -4},
    {Param::highlights, -45, -30, -10},
    {Param::shadows, 22, 30, 18},
    {Param::local_contrast, 24, 34, 20},
    {Param::muted_colours, 20, 30, 10},
    {Param::haze, 12, 6, 0},
    {Param::sharpness, 30, 30, 30},
    {Param::noise, 12, 20, 40},
    {Param::colour_noise, 50, 50, 50},
    {Param::vignette, -14, -14, -14},
    {Param::shadow_hue, 262, 262, 262},
    {Param::shadow_strength, 0, 10, 22},
    {Param::highlight_strength, 0, 14, 0},
    {curve_param(0, 2), 21, 21, 21},
    {curve_param(0, 6), 79, 79, 79},
};

Result<Shoot> begin_shoot(const fs::path& frames, const Work& work) {
  const auto scan = read_folder(frames, {}, work);
  if (!scan) return tl::unexpected(scan.error());
  auto shoot = start_shoot(make_sequence(*scan, {}));
  if (!shoot) return shoot;
  auto& framing = shoot->decisions.framing;
  framing.aspect = "16:9";
  framing.crop = crop_to_aspect(shoot->sequence.size, 16.0 / 9);
  return shoot;
}

Result<void> write_evening(const fs::path& frames, const fs::path& file, const Work& work) {
  auto shoot = begin_shoot(frames, work);
  if (!shoot) return tl::unexpected(shoot.error());
  auto& d = shoot->decisions;
  d.level.on = d.deflicker.on = true;
  d.deflicker.period = 30;
  for (int frame : {kAfternoon, kDusk, kNight}) add_key(*shoot, frame);
  for (const Value& v : kLook) {
    set_value(*shoot, v.param, kAfternoon, v.afternoon);
    set_value(*shoot, v.param, kDusk, v.dusk);
    set_value(*shoot, v.param, kNight, v.night);
  }
  ProxyStore store(frames);
  const LightPlan light = plan_light(*shoot, measure_light(*shoot, store, work));
  if (work.stop()) return fail("Cancelled; the demo is not made.");
  for (int frame : {kAfternoon, kDusk}) set_airlight(*shoot, store, light, frame);
  return said(save_shoot(*shoot, file));
}

// Points become trails and points again, above the harbour as it stands.
Result<void> write_night(const fs::path& frames, const fs::path& file, const Work& work) {
  auto shoot = begin_shoot(frames, work);
  if (!shoot) return tl::unexpected(shoot.error());
  auto& d = shoot->decisions;
  for (const auto& [param, value] : {std::pair{Param::exposure, 0.55},
                                     {Param::temperature, 4700.0},
                                     {Param::shadows, 18.0},
                                     {Param::contrast, 14.0},
                                     {Param::noise, 34.0},
                                     {Param::colour_noise, 60.0},
                                     {Param::hot_pixels, 60.0}})
    set_value(*shoot, param, 0, value);
  d.trails.kind = TrailKind::comet;
  d.trails.keep_out = true;
  for (const auto& [frame, length] :
       {std::pair{0, 0.0}, {12, 0.0}, {55, 60.0}, {78, 60.0}, {89, 0.0}})
    set_value(*shoot, Param::trail_length, frame, length);
  ProxyStore store(frames);
  know_sky(*shoot, store, work);
  if (work.stop()) return fail("Cancelled; the demo is not made.");
  auto sky = propose_sky(*shoot, store);
  if (!sky) return tl::unexpected(sky.error());
  d.places.push_back(std::move(*sky));
  return said(save_shoot(*shoot, file));
}

// Three exposures a moment, from night to day.
Result<void> write_dawn(const fs::path& frames, const fs::path& file, const Work& work) {
  auto shoot = begin_shoot(frames, work);
  if (!shoot) return tl::unexpected(shoot.error());
  auto& d = shoot->decisions;
  d.level.on = d.deflicker.on = true;
  for (const auto& [param, value] :
       {std::pair{Param::range, 55.0}, {Param::local_contrast, 18.0}, {Param::muted_colours, 16.0}})
    set_value(*shoot, param, 0, value);
  return said(save_shoot(*shoot, file));
}

SimulateOptions options_of(Demo demo) {
  SimulateOptions o;
  o.camera.seed = 7;
  if (demo == Demo::harbour) return o;
  o.camera.compressed = true;
  o.camera.ruined = o.camera.wrong_aperture = o.camera.gap = o.camera.wobble = false;
  if (demo == Demo::night) {
    o.camera.frames = 90;
    o.camera.interval = 19;
    o.camera.night = true;
    o.camera.steps = o.camera.flicker = false;
    o.night = NightOptions{.moonset = true};
  } else {
    o.camera.frames = 25;
    o.camera.interval = 75;
    o.camera.bracket = 3;
    o.camera.from = 0.68, o.camera.to = 0.16;
    o.camera.start = -12 * 3600;
  }
  return o;
}

}  // namespace

fs::path demo_folder() {
  const fs::path cache = cache_folder();
  return cache.empty() ? cache : cache / "demo";
}
fs::path demo_shoot(const fs::path& folder, Demo demo) {
  return folder / (std::string(kDemos[demo].name) + ".tsukimi");
}
fs::path demo_card(const fs::path& folder) { return folder / "card"; }

Result<fs::path> make_demo(const fs::path& folder, const Work& work, Demo demo) {
  if (folder.empty())
    return fail(
        "There is no folder for the demo: this user has neither a home nor a cache folder.");
  std::error_code ec;
  fs::create_directories(folder, ec);
  const std::string name = kDemos[demo].name;
  const fs::path frames = folder / name, card = demo_card(folder), file = demo_shoot(folder, demo);
  // Each part has its share of the time.
  auto share = [&](int from, int to) { return part_of_work(work, from, to); };
  // Into a folder of another name first: one that has its own is whole. One that was broken off
  // goes on.
  auto make = [&](const fs::path& what, auto&& how) -> Result<void> {
    if (fs::exists(what, ec)) return {};
    const fs::path fresh = what.string() + ".new";
    if (auto ok = how(fresh); !ok) return ok;
    if (work.stop()) return fail("Cancelled; the demo is not made.");
    fs::rename(fresh, what, ec);
    if (ec) return fail("The demo cannot be made: " + ec.message() + ".");
    return {};
  };
  const auto shot = make(frames, [&](const fs::path& to) {
    SimulateOptions o = options_of(demo);
    o.folder = to;
    o.truth = folder / (name + ".truth.json");
    return simulate(o, share(0, 80));
  });
  if (!shot) return tl::unexpected(shot.error());
  if (demo == Demo::harbour) {
    const auto carded = make(card, [&](const fs::path& to) {
      return simulate_card(to, 21, {900, 600}, share(80, 90));
    });
    if (!carded) return tl::unexpected(carded.error());
  }
  if (fs::exists(file, ec)) return file;
  const auto write = demo == Demo::night  ? write_night
                     : demo == Demo::dawn ? write_dawn
                                          : write_evening;
  if (auto ok = write(frames, file, share(90, 100)); !ok) return tl::unexpected(ok.error());
  return file;
}

}  // namespace tsukimi::sim
