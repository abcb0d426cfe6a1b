// SPDX-License-Identifier: GPL-3.0-or-later
// A scene made of two photographs: the ground of one below an uneven skyline, the sky of the other
// drifting over all that is left, its clouds' shade moving over the ground, a ferry that goes its
// way. Texture as the world has it, and still everything is known.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>

#include "base/result.h"
#include "image/image.h"

namespace tsukimi::sim {

struct PhotoOptions {
  std::filesystem::path ground, sky;  // any picture that can be read; larger than the scene
  double strip = 0.5;                 // the share of the height that is ground
  double clouds = 1;                  // px that the sky moves in a frame, to the right
  double shade = 0.3;                 // stops that the thickest clouds take from the ground
  double ferry = 0;                   // px that the ferry moves in a frame; 0: there is none
  bool operator==(const PhotoOptions&) const = default;
};

class PhotoScene {
 public:
  // interval: s between frames. Fails when a photograph cannot be read.
  static Result<PhotoScene> make(Size size, const PhotoOptions& options, std::uint32_t seed,
                                 double interval);

  // As HarbourScene::render: linear sRGB primaries.
  Image render(double progress, double seconds) const;

  // Of a moment, px of the scene: how far the sky has gone, where the middle of the ferry is.
  double sky_at(double seconds) const;
  std::array<double, 2> ferry_at(double seconds) const;
  float skyline(float x) const;  // y above which there is sky
  Plane open_sky() const;        // how much of each pixel shows it, 0..1

 private:
  PhotoScene() = default;
  Size size_;
  PhotoOptions options_;
  std::uint32_t seed_ = 0;
  double interval_ = 1;
  Image ground_, sky_;  // linear, mean 1; the sky is twice as wide as the scene
  int top_ = 0;         // of the ground, in the scene
  Plane clouds_;        // of the sky, soft: 0 clear .. 1 thick
};

}  // namespace tsukimi::sim
