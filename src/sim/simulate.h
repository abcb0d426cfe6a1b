// SPDX-License-Identifier: GPL-3.0-or-later
// A whole shoot: the harbour, photographed into a folder of DNG files, with the truth beside it.
#pragma once

#include <filesystem>

#include "base/parallel.h"
#include "base/result.h"
#include "sim/camera.h"
#include "sim/night.h"
#include "sim/photo_scene.h"

namespace tsukimi::sim {

struct SimulateOptions {
  CameraOptions camera;
  Size size{1500, 1000};         // both even, at least 64
  std::filesystem::path folder;  // made if missing; must hold no frames of the same names
  std::filesystem::path truth;   // JSON, docs/formats.md; empty: none
  std::optional<PhotoOptions> photos = {};  // else the harbour
  std::optional<NightOptions> night = {};   // stars above it, else the evening
  bool jpeg = false;                        // the camera writes its own pictures, not raw files
  double live = 0;  // s per frame: files appear, slowly, as from a camera at work
};

// Deterministic: the same options give the same bytes.
Result<void> simulate(const SimulateOptions& options, const Work& work = {});

// A camera's card: in one folder below DCIM two sequences, between them a bracketed run (over which
// the counter wraps from 9999 to 0001), and a stray film.
Result<void> simulate_card(const std::filesystem::path& card, std::uint32_t seed, Size size,
                           const Work& work = {});

}  // namespace tsukimi::sim
