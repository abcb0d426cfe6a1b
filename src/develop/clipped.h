// SPDX-License-Identifier: GPL-3.0-or-later
// Highlights in which the sensor clipped.
//
// Channels clip one after the other: green mostly first, which turns a sunset magenta when white
// balance lifts red and blue beyond it. What did not clip is never touched. A clipped channel, of
// which only the least is known, takes the ratio to the others that the unclipped rim of the same
// object has (spread into what is clipped on a small copy, not across edges: a sky does not take
// the colour of the land under it); where all are clipped, light goes over into white. Light never
// falls where the scene grows brighter.
//
//   const ClipGuide guide = clip_guide(mosaic, wb.gains);
//   guide.recover(r, g, b, left, y, width);  // a row of balanced camera RGB, in place
#pragma once

#include <array>
#include <vector>

#include "camera/mosaic.h"
#include "image/image.h"
#include "proxy/proxy.h"

namespace tsukimi {

class ClipGuide {
 public:
  ClipGuide() = default;  // nothing is clipped
  bool empty() const { return colour_[0].data.empty(); }

  // From which share of clipping on a channel counts as clipped.
  static constexpr float kBegin = 0.98f;

  // Row y of the source, from column `left` on: balanced camera RGB, in place.
  void recover(float* r, float* g, float* b, int left, int y, int width) const;

 private:
  friend class ClipSampler;
  std::array<float, 3> level_{1, 1, 1};  // of balanced camera RGB at which a channel clips
  std::array<Plane, 3> colour_;  // per cell, sum 1: what is clipped there most likely has it
  float cell_ = 1;               // pixels of the source along a side
};

// Looks through a source for what is clipped. gains: white balance.
ClipGuide clip_guide(const Mosaic& mosaic, const std::array<float, 3>& gains);
ClipGuide clip_guide(const Image& camera, const std::array<float, 3>& gains);  // not balanced yet
ClipGuide clip_guide(const Proxy& proxy, const std::array<float, 3>& gains);

}  // namespace tsukimi
