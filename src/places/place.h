// SPDX-License-Identifier: GPL-3.0-or-later
// A place: a part of the picture with adjustments of its own, on every frame. What is decided about
// it, and what it is at a moment.
//
// Its mask is put together from shapes, in order: one adds itself, takes itself away, or cuts the
// others to itself; the first begins with nothing (add) or with everything; without shapes the mask
// is everything. Then it may be kept to a range of tones and of hues, and turned over. All lie in
// fractions of the upright frame, so that no crop moves them.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "adjust/keyed_values.h"
#include "camera/frame_info.h"
#include "places/painting.h"

namespace tsukimi {

enum class ShapeKind { graduated, ellipse, painted };
enum class Combine { add, take, cut };
constexpr Words<ShapeKind> kShapeKinds{{{ShapeKind::graduated, "graduated"},
                                        {ShapeKind::ellipse, "ellipse"},
                                        {ShapeKind::painted, "painted"}}};
constexpr Words<Combine> kCombines{
    {{Combine::add, "add"}, {Combine::take, "take"}, {Combine::cut, "cut"}}};
// What runs through the key frames of a graduated shape or an ellipse.
const Kind& kind_of(ShapeKind kind);

// What is painted at a key frame.
struct PaintedKey {
  FrameId frame = FrameId::none;
  Painting painting;
  bool dissolves = true;  // into the next key frame's; else it stays until there
  bool operator==(const PaintedKey&) const = default;
};

struct MaskShape {
  ShapeKind kind = ShapeKind::graduated;
  Combine how = Combine::add;
  KeyedValues values;               // of a graduated shape or an ellipse
  std::vector<PaintedKey> painted;  // of a painted one, ascending by id
  bool operator==(const MaskShape&) const = default;
};

// From where to where it is whole, and over how much it fades, half of it on either side. Tones are
// CIE lightness, 0..100, of the levelled and smoothed light before the look's exposure; a range
// that begins at 0 or ends at 100 has no end there. Hues are degrees round Oklab's circle, upwards;
// grey has none.
struct Limit {
  double from, to, soft;
  bool operator==(const Limit&) const = default;
};
constexpr Limit kAllTones{0, 100, 10}, kAllHues{0, 360, 10};

// What a place goes with: the picture where the camera moved, or the stars.
enum class Follow { nothing, picture, stars };

struct LocalPlace {
  std::string name;
  bool on = true;
  bool invert = false;
  Follow follow = Follow::nothing;
  bool sky = false;  // star trails run in it, and nowhere else
  std::vector<MaskShape> shapes;
  Limit tones = kAllTones, hues = kAllHues;
  KeyedValues values{kPlace, {}};
  bool operator==(const LocalPlace&) const = default;
};

// The picture whose edges the strokes of a key frame follow.
struct GuideAt {
  FrameId key = FrameId::none;             // none: no stroke follows edges
  FrameInfo frame;                         // that, or the nearest that can be read (film/film.h)
  std::shared_ptr<const EdgeGuide> guide;  // when it was read
  bool operator==(const GuideAt&) const = default;
};

// The same at a moment.
struct ShapeAt {
  ShapeKind kind = ShapeKind::graduated;
  Combine how = Combine::add;
  Values values{kGraduated};
  Painting painting, next;  // of a painted one, and ...
  double dissolved = 0;     // ... how far it has become the next, 0..1
  GuideAt guide, next_guide;
  // Of a painted one that follows the picture: from its key frame to this one (and of the next
  // one's), in widths of the frame from its middle.
  Similarity from_key = {}, from_next = {};
  bool operator==(const ShapeAt&) const = default;
};
struct PlaceAt {
  bool invert = false;
  std::vector<ShapeAt> shapes;
  Limit tones = kAllTones, hues = kAllHues;
  Values values{kPlace};
  bool limits_tones() const { return tones.from > 0 || tones.to < 100; }
  bool limits_hues() const { return hues.to - hues.from < 360; }
  double share() const { return values[Param::place_strength] / 100; }
  bool operator==(const PlaceAt&) const = default;
};

// A place over all frames, over capture time.
class PlaceCourse {
 public:
  // motion: of each frame, for a place that follows the picture; empty: not known. aspect: width
  // over height of the frame.
  PlaceCourse(const LocalPlace& place, const std::vector<double>& axis,
              const std::vector<int>& places, std::vector<Similarity> motion = {},
              double aspect = 1);
  // Nothing where it does nothing: switched off, without strength, or all at its presets.
  std::optional<PlaceAt> at(int frame) const;
  PlaceAt whole(int frame) const;  // also then
  const Course& values() const { return values_; }
  const Course& shape(std::size_t i) const { return *shapes_[i].values; }

 private:
  struct ShapeCourse {
    std::optional<Course> values;
    struct Painted {
      double time;
      int frame;
      PaintedKey key;
    };
    std::vector<Painted> painted;  // by time
  };
  LocalPlace place_;
  Course values_;
  std::vector<double> axis_;
  std::vector<ShapeCourse> shapes_;
  std::vector<Similarity> motion_;  // empty: it stays where it is
  double aspect_ = 1;
};

// A new place where one would begin: a graduated one over the upper half, an ellipse in the middle,
// or nothing painted yet, with a key frame there.
LocalPlace new_place(std::string name, ShapeKind kind, FrameId frame);
MaskShape new_shape(ShapeKind kind, FrameId frame);

// Its key frames at other frames; those for which `to` gives none go.
void move_keys(LocalPlace& place, const std::function<FrameId(FrameId)>& to);

// In a line, the same on every run; for the text of a recipe.
void add_text(std::string& out, const PlaceAt& place);

}  // namespace tsukimi
