// How strokes follow edges: what lies between a stroke and a place, on the picture of its key
// frame.
#pragma once

#include <memory>
#include <vector>

#include "image/image.h"
#include "image/orientation.h"

namespace tsukimi {

// The upright picture of a key frame, small: stops of red, green and blue, smoothed but at edges.
struct EdgeGuide {
  Image stops;
};

// For each pixel of a part of the guide: the stops of edges that must be crossed to get there from
// a line, by the way that crosses least. Slopes so gentle that no edge is seen count nothing.
class EdgesBetween {
 public:
  // points: of the line, in fractions of the frame. reach: how far from it is asked for, in widths.
  EdgesBetween(const EdgeGuide& guide, const std::vector<Point>& points, double reach);
  // At a place within reach, in fractions of the frame.
  float at(double x, double y) const;

 private:
  int left_, top_, width_ = 0, height_ = 0;
  double across_, down_;  // pixels of the guide in the frame
  std::vector<float> stops_;
};

}  // namespace tsukimi
