// SPDX-License-Identifier: GPL-3.0-or-later
// Photographs as texture for simulated shoots (Debian's plasma-workspace-wallpapers): what is right
// only on the harbour is wrong.
#pragma once

#include "sim/simulate.h"
#include "support.h"

namespace tsukimi::test {

inline fs::path photograph(const std::string& name) {
  return fs::path("/usr/share/wallpapers") / name / "contents/images/2560x1600.jpg";
}

// A shoot of photographs in a folder of its own, with its truth.
struct PhotoShoot {
  TempDir dir;
  fs::path folder = dir / "photos", truth_file = dir / "truth.json";
  nlohmann::json truth;

  PhotoShoot(const std::string& ground, const std::string& sky, sim::SimulateOptions o,
             sim::PhotoOptions photos) {
    photos.ground = photograph(ground);
    photos.sky = photograph(sky);
    o.photos = photos;
    o.folder = folder;
    o.truth = truth_file;
    if (const auto ok = sim::simulate(o); !ok) throw std::runtime_error(ok.error().message);
    std::ifstream in(truth_file);
    truth = nlohmann::json::parse(in);
  }
};

// A steady evening: nothing but what is asked for.
inline sim::SimulateOptions plain_evening(int frames, std::uint32_t seed, Size size) {
  sim::SimulateOptions o;
  o.camera.frames = frames;
  o.camera.seed = seed;
  o.camera.ruined = o.camera.gap = o.camera.wrong_aperture = o.camera.dust = false;
  o.size = size;
  return o;
}

}  // namespace tsukimi::test
