// SPDX-License-Identifier: GPL-3.0-or-later
// What is painted with a brush: strokes one over the other, and their coverage as a picture.
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

#include "motion/similarity.h"
#include "places/edge_guide.h"

namespace tsukimi {

// A line drawn with a round brush. Within one stroke nothing adds up, however it crosses itself.
struct Stroke {
  double radius = 0.05;       // in widths of the frame, 0.0005..1
  double softness = 50;       // 0..100: the share of the radius over which it fades
  double flow = 100;          // 0..100: how much of the mask one stroke adds, or takes away
  bool erase = false;         // takes away
  std::vector<Point> points;  // in fractions of the upright frame
  bool edges = false;         // ends where its key frame's picture has an edge
  bool operator==(const Stroke&) const = default;
};

// Coverage over the whole upright frame, row by row; 65535 is all.
struct Coverage {
  int width = 0, height = 0;
  Pixels<std::uint16_t> data;
  struct Used {  // columns first to before last are all that is not 0
    int first = 0, last = 0;
  };
  std::vector<Used> used;  // of each row
  const std::uint16_t* row(int y) const {
    return data.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(width);
  }
};

// A value: copies share the strokes, which never change. Paintings are equal when their strokes
// are.
class Painting {
 public:
  Painting() : Painting(std::vector<Stroke>()) {}
  explicit Painting(std::vector<Stroke> strokes);

  // The same with another stroke over it. What is drawn of this one is not drawn again.
  Painting with(Stroke stroke) const;
  // The same where a similarity takes it, in widths of the frame from its middle.
  Painting moved_by(const Similarity& by, double aspect) const;
  std::vector<Stroke> strokes() const;
  std::size_t count() const;
  bool follows_edges() const;  // any of them does
  std::uint64_t sum() const;   // of all that decides the coverage
  bool operator==(const Painting& other) const;

  // For a picture that shows the frame `pixels` wide; aspect: width over height of the frame. Drawn
  // no finer than the softness of the strokes and the edges need. guide: of its key frame, for
  // strokes that follow edges; without one they do not. From any thread; kept while this painting
  // is.
  std::shared_ptr<const Coverage> coverage(
      double pixels, double aspect, const std::shared_ptr<const EdgeGuide>& guide = {}) const;

 private:
  struct Drawing;
  explicit Painting(std::shared_ptr<Drawing> drawing) : drawing_(std::move(drawing)) {}
  std::shared_ptr<Drawing> drawing_;
};

}  // namespace tsukimi
