// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of a lens: from lensfun's database (and our own entry for the simulated one, in
// lensfun's open XML), by the names that EXIF gives.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "camera/frame_info.h"

namespace tsukimi {

// Where light that belongs at a place of the picture fell on the sensor, and how much of it was
// lost, on a regular mesh over the frame (corner to corner); between the nodes it runs straight.
struct LensMesh {
  static constexpr int kColumns = 97, kRows = 65, kNodes = kColumns * kRows;
  struct Node {
    float x[3], y[3];  // red, green, blue; fractions of width and height
    float gain;        // that light is to be multiplied by
  };
  std::vector<Node> nodes;  // row by row
};

class LensLibrary {
 public:
  // The mesh of a frame's lens at its focal length and aperture; nothing when the lens is not
  // known. The database is read on the first call. Safe to use from many threads.
  std::shared_ptr<const LensMesh> find(const FrameInfo& frame);

 private:
  std::mutex mutex_;
  std::map<std::string, std::shared_ptr<const LensMesh>> known_;
  std::shared_ptr<struct LensDatabase> database_;
};

}  // namespace tsukimi
