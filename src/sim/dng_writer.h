// Writes a Bayer mosaic as DNG 1.4: uncompressed CFA in a sub-image, an embedded JPEG preview,
// EXIF.
#pragma once

#include "image/result.h"
#include "sim/camera.h"

namespace tsukimi::sim {

// preview_jpeg: the encoded preview and its size. Result: the bytes of the file.
Result<std::vector<std::uint8_t>> make_dng(const Mosaic& mosaic, const Shot& shot,
                                           const std::vector<std::uint8_t>& preview_jpeg,
                                           Size preview);

constexpr const char* kCameraName = "Tidewater S1";
constexpr const char* kLensName = "Tidewater 28 mm f/2.8";
constexpr int kFocalLength = 28;

}  // namespace tsukimi::sim
