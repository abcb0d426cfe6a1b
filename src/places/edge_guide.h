// SPDX-License-Identifier: GPL-3.0-or-later
// How strokes follow edges: what lies between a stroke and a place, on the picture of its key
// frame.
#pragma once

#include <cstdint>
#include <memory>
#include <mutex>
#include <vector>

#include "image/image.h"
#include "image/orientation.h"

namespace tsukimi {

class EdgesBetween;

// What steps from pixel to pixel cross of the upright picture of a key frame, small.
struct EdgeGuide {
  // Of red, green and blue, smoothed but at edges.
  explicit EdgeGuide(Image stops);
  Size size() const { return {right.width, right.height}; }
  Image stops;
  Plane right, down, down_right, down_left;  // stops, of the steps from a pixel that way

  // What was found last: a stroke that grows under the hand is not begun anew at every move.
  class Last {
   public:
    Last() = default;
    Last(const Last&) {}  // another picture has others
    Last& operator=(const Last&) = delete;
    std::shared_ptr<const EdgesBetween> get() const;
    void set(std::shared_ptr<const EdgesBetween> now) const;

   private:
    mutable std::mutex mutex_;
    mutable std::shared_ptr<const EdgesBetween> last_;
  };
  Last last;
};

// For each pixel of a part of the guide: the stops of edges that must be crossed to get there from
// a line, by the way that crosses least, within reach of each of its segments. Slopes so gentle
// that no edge is seen count nothing, nor do steps between colours that lie under the line
// (places/line_colours.h): blades of grass do not end a stroke over a meadow, the sky does. What
// is left out is covered where it is smaller than a tenth of the brush.
class EdgesBetween {
 public:
  // points: of the line, in fractions of the frame. reach: how far from it is asked for, in widths.
  static std::shared_ptr<const EdgesBetween> find(const EdgeGuide& guide,
                                                  const std::vector<Point>& points, double reach);
  // At a place within reach, in fractions of the frame.
  float at(double x, double y) const;

 private:
  EdgesBetween(const EdgeGuide& guide, const std::vector<Point>& points, double reach,
               const EdgesBetween* begun);
  struct Box {
    int x0 = 0, y0 = 0, x1 = 0, y1 = 0;
    int width() const { return x1 - x0; }
    bool empty() const { return x0 >= x1 || y0 >= y1; }
  };
  Box box_of(const std::vector<Point>& points, std::size_t first, std::size_t last) const;
  float* row(int y) {
    return stops_.data() +
           static_cast<std::size_t>(y - box_.y0) * static_cast<std::size_t>(box_.width());
  }
  const float* row(int y) const { return const_cast<EdgesBetween*>(this)->row(y); }
  void add_piece(const EdgeGuide& guide, std::size_t first, std::size_t last);
  void mark_near(std::size_t first, std::size_t last, double near, const Box& box,
                 std::vector<std::uint8_t>& marks) const;
  void fill_small_holes(float* stops, int width, int height) const;

  std::vector<Point> points_;
  double reach_;
  Size guide_;
  Box box_;
  std::vector<float> stops_, settled_;  // without the piece that still grows
};

}  // namespace tsukimi
