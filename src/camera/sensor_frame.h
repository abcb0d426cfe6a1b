// SPDX-License-Identifier: GPL-3.0-or-later
// One decoded frame in linear sensor light, before anything is decided about it.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>

#include "base/result.h"
#include "camera/camera_colour.h"
#include "camera/mosaic.h"
#include "image/image.h"
#include "image/orientation.h"

namespace tsukimi {

struct SensorFrame {
  Mosaic mosaic;  // empty when the frame came as full RGB
  Image rgb;      // camera RGB when there is no mosaic: 0 is black, 1 is clipping
  CameraColour colour;
  int orientation = 1;  // EXIF orientation 1..8, not yet applied
  // Stops by which light of 1 lies above the clipping of the frame's own exposure: of merged shots
  // the darkest one's.
  double headroom = 0;
  bool of_merged = false;  // shots of several exposures
  Size halved;             // not 0: rgb holds means of 2x2 pixels of a picture of this size
  // A still that was read to be used later: its pixels as they stand in the file, a quarter of what
  // their light takes. make_light() makes rgb of it.
  std::function<Image()> still;
  Size still_size;

  bool is_mosaic() const { return mosaic.width > 0; }
  Size sensor_size() const {
    return is_mosaic() ? Size{mosaic.width, mosaic.height} : still ? still_size : rgb.size();
  }
  void make_light() {
    if (still) rgb = still();
    still = nullptr;
  }
};

// Decodes any raw file LibRaw knows, JPEG, PNG or TIFF. Bayer mosaics come as they are; other
// mosaics through LibRaw's interpolation; stills are linearised through their ICC profile (sRGB if
// none). Fails with a sentence that names the file when it is unreadable, truncated or malformed.
Result<SensorFrame> read_frame(const std::filesystem::path& path);

// The same where only a proxy is wanted: of a large still the means of 2x2 pixels, in linear light,
// in a fraction of the time and the memory.
Result<SensorFrame> read_for_proxy(const std::filesystem::path& path);

// The same where frames wait until they are developed.
Result<SensorFrame> read_to_wait(const std::filesystem::path& path);

// The two readers behind them.
enum class Wanted { light, proxy, later };
Result<SensorFrame> read_raw(const std::filesystem::path& path);
Result<SensorFrame> read_still(const std::filesystem::path& path, Wanted wanted = Wanted::light);

// The upright size of what read_raw gives, from the head of the file alone: without masked borders
// and margins, which EXIF's sizes include. Nothing when it is no raw file.
std::optional<Size> raw_size(const std::filesystem::path& path);

}  // namespace tsukimi
