// Repairs, in the sensor's own light, before anything else is done with it.
//
// Dust: light is divided by what its shadow leaves of it (repairs/repair.h), so that detail and
// noise below it stay. What clipped stays clipped.
// Spots and areas: covered by what lies elsewhere, plus a smooth membrane that makes both meet at
// the border: mean-value coordinates (Farbman et al., "Coordinates for instant image cloning",
// SIGGRAPH 2009) of the differences along the border, each the mean of a small part of it, so that
// noise draws no rays. In a mosaic the offset is even: red covers red.
#pragma once

#include "camera/sensor_frame.h"
#include "develop/cover.h"
#include "proxy/proxy.h"
#include "repairs/repair.h"

namespace tsukimi {

// Where an area lies in the pixels of a frame as it lies in its file, or of an upright proxy, with
// what lies round it.
class PatchPlace {
 public:
  PatchPlace(const RepairAt& area, const SensorFrame& frame);
  PatchPlace(const RepairAt& area, const Proxy& proxy);
  bool is_around(int x, int y) const;  // outside of it and of where it fades
  int channel(int x, int y) const;     // of a mosaic: 0 red, 1 green, 2 blue
  int x0 = 0, y0 = 0, x1 = 0, y1 = 0;  // of the patch

 private:
  void set(const RepairAt& area, const std::function<Point(const Point&)>& to_pixels, Size size);
  CoverShape shape_;
  std::array<std::uint8_t, 4> cfa_{};
};
TimePatch patch_of(const SensorFrame& frame, const PatchPlace& place);
TimePatch patch_of(const Image& image, const PatchPlace& place);

// A frame as it lies in its file. The numbers of a mosaic are copied before they are changed.
void mend(SensorFrame& frame, const std::vector<RepairAt>& repairs);
// Camera RGB of a whole proxy, upright.
void mend(Image& image, const Proxy& proxy, const std::vector<RepairAt>& repairs);

}  // namespace tsukimi
