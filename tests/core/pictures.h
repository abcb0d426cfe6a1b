// SPDX-License-Identifier: GPL-3.0-or-later
// What tests ask of pictures and files.
#pragma once

#include <cmath>
#include <exiv2/exiv2.hpp>
#include <filesystem>

#include "camera/mosaic.h"
#include "image/image.h"
#include "sim/camera.h"

namespace tsukimi::test {

// The simulated camera's numbers as a decoded file gives them.
inline Mosaic mosaic_of_shot(const sim::Mosaic& shot) {
  auto numbers = std::make_shared<std::vector<std::uint16_t>>(shot.data.begin(), shot.data.end());
  Mosaic out{shot.width, shot.height};
  out.black.fill(sim::kBlack);
  out.scale.fill(1.0f / (sim::kWhite - sim::kBlack));
  out.stride = static_cast<std::size_t>(shot.width);
  out.numbers = {numbers, numbers->data()};
  return out;
}

// Peak signal to noise in dB, of linear values against 1.
inline double psnr(const Image& a, const Image& b) {
  double sum = 0;
  std::size_t n = 0;
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < a.planes[c].data.size(); ++i, ++n) {
      const double d = a.planes[c].data[i] - b.planes[c].data[i];
      sum += d * d;
    }
  return -10 * std::log10(sum / static_cast<double>(n) + 1e-15);
}

inline std::string description(const std::filesystem::path& file) {
  auto image = Exiv2::ImageFactory::open(file.string());
  image->readMetadata();
  return image->exifData()["Exif.Image.ImageDescription"].toString();
}

}  // namespace tsukimi::test
