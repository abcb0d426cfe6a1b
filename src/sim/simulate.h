// A whole shoot: the harbour, photographed into a folder of DNG files, with the truth beside it.
#pragma once

#include <filesystem>

#include "image/parallel.h"
#include "image/result.h"
#include "sim/camera.h"

namespace tsukimi::sim {

struct SimulateOptions {
  CameraOptions camera;
  Size size{1500, 1000};         // both even, at least 64
  std::filesystem::path folder;  // made if missing; must hold no frames of the same names
  std::filesystem::path truth;   // JSON, docs/formats.md; empty: none
};

// Deterministic: the same options give the same bytes.
Result<void> simulate(const SimulateOptions& options, const Work& work = {});

}  // namespace tsukimi::sim
