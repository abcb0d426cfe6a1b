// Dust on the sensor: found over the sequence.
//
// A grain darkens whatever lies behind it by the same factor, at the same place of the sensor, in
// every frame. So the logarithm of light against its surroundings has, over many frames of a scene
// that moves, a median that shows just that. Dark spots of it that are round, stand in even
// surroundings, are of no colour and equally deep through the sequence, are dust.
#pragma once

#include <functional>

#include "base/parallel.h"
#include "base/result.h"
#include "proxy/proxy.h"
#include "repairs/repair.h"

namespace tsukimi {

struct DustFrame {
  double aperture = 0;  // f-number; 0: not known
  std::function<Result<std::shared_ptr<const Proxy>>()> proxy;
};

struct DustSpot {
  Point at;                     // of the upright frame
  std::vector<Shadow> shadows;  // for each aperture that enough frames have, ascending
  double radius() const { return shadows.front().radius; }
  double strength() const { return shadows.front().strength; }
};

// The strongest first. Frames that cannot be read are passed over; nothing from fewer than 24.
std::vector<DustSpot> find_dust(const std::vector<DustFrame>& frames, const Work& work = {});

// The shadow at a place that is known, about so large; nothing where light is not darker there.
std::vector<Shadow> measure_shadow(const std::vector<DustFrame>& frames, const Point& at,
                                   double radius, const Work& work = {});

// The map that they are found in: stops of light against the surroundings, of the upright frame.
struct DustMap {
  Plane stops;
  std::vector<DustSpot> spots;
};
DustMap map_dust(const std::vector<DustFrame>& frames, const Work& work = {});

}  // namespace tsukimi
