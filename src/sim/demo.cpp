// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/demo.h"

#include "base/cache.h"
#include "base/part_of_work.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/light_plan.h"
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

Result<void> write_shoot(const fs::path& frames, const fs::path& file, const Work& work) {
  const auto scan = read_folder(frames, {}, work);
  if (!scan) return tl::unexpected(scan.error());
  auto shoot = start_shoot(make_sequence(*scan, {}));
  if (!shoot) return tl::unexpected(shoot.error());
  auto& d = shoot->decisions;
  d.level.on = d.deflicker.on = true;
  d.deflicker.period = 30;
  d.framing.aspect = "16:9";
  d.framing.crop = crop_to_aspect(shoot->sequence.size, 16.0 / 9);
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

}  // namespace

fs::path demo_folder() {
  const fs::path cache = cache_folder();
  return cache.empty() ? cache : cache / "demo";
}
fs::path demo_shoot(const fs::path& folder) { return folder / "harbour.tsukimi"; }
fs::path demo_card(const fs::path& folder) { return folder / "card"; }

Result<fs::path> make_demo(const fs::path& folder, const Work& work) {
  if (folder.empty())
    return fail(
        "There is no folder for the demo: this user has neither a home nor a cache folder.");
  std::error_code ec;
  fs::create_directories(folder, ec);
  const fs::path frames = folder / "harbour", card = demo_card(folder), file = demo_shoot(folder);
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
    SimulateOptions o;
    o.camera.seed = 7;
    o.folder = to;
    o.truth = folder / "harbour.truth.json";
    return simulate(o, share(0, 80));
  });
  if (!shot) return tl::unexpected(shot.error());
  const auto carded = make(card, [&](const fs::path& to) {
    return simulate_card(to, 21, {900, 600}, share(80, 90));
  });
  if (!carded) return tl::unexpected(carded.error());
  if (!fs::exists(file, ec))
    if (auto ok = write_shoot(frames, file, share(90, 100)); !ok) return tl::unexpected(ok.error());
  return file;
}

}  // namespace tsukimi::sim
