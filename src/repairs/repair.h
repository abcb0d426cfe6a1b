// SPDX-License-Identifier: GPL-3.0-or-later
// A repair: something mended at one spot of the sensor, on every frame or on some. What is decided
// about it, and what it is at a moment. All lies in fractions of the upright frame, before crop and
// lens, so that it holds still on the sensor.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "adjust/keyed_values.h"
#include "camera/frame_info.h"
#include "image/orientation.h"
#include "motion/similarity.h"

namespace tsukimi {

// spot: covered by what lies at another spot. dust: its shadow is divided out. area: a drawn
// region, covered by what lies round it, at another place, or before and after it in time.
enum class RepairKind { spot, dust, area };
enum class FillFrom { around, source, time };
constexpr Words<RepairKind> kRepairKinds{
    {{RepairKind::spot, "spot"}, {RepairKind::dust, "dust"}, {RepairKind::area, "area"}}};
constexpr Words<FillFrom> kFills{
    {{FillFrom::around, "around"}, {FillFrom::source, "source"}, {FillFrom::time, "time"}}};

// How a grain of dust darkens at an aperture: light is multiplied by 1 - strength
// exp(-(d/radius)^falloff) at a distance d. A smaller aperture (a larger f-number) makes it smaller
// and deeper.
struct Shadow {
  double aperture = 0;      // f-number it was measured at; 0: not known
  double radius = 0;        // in widths of the frame
  double strength = 0;      // 0..1
  double falloff = kRound;  // 1 pointed .. 2 as a bell .. 8 flat at the bottom, with an edge
  static constexpr double kRound = 2, kMostPointed = 1, kFlattest = 8;
  bool operator==(const Shadow&) const = default;
};
// The share of light that it takes at a distance d, in radii.
double taken_by_shadow(double d, double strength, double falloff);
// At another aperture: between two that were measured by the logarithm of the f-number; beyond them
// the radius goes with 1/N and the strength with N^2, as far as that can be (at most 0.9).
Shadow shadow_at(const std::vector<Shadow>& measured, double aperture);

// What covers a large area of which no single place is like all: a grid of cells over it, each with
// one of some offsets. In fractions of the upright frame.
struct Quilt {
  Point from, cell;  // upper left corner of the grid; size of a cell
  int columns = 0, rows = 0;
  std::vector<Point> offsets;       // to what covers
  std::vector<std::uint8_t> which;  // of them, cell by cell, row by row
  bool empty() const { return which.empty(); }
  bool operator==(const Quilt&) const = default;
};

struct SpotRepair {
  // Where, how large, and what covers it; one key frame: always.
  KeyedValues values{kSpot, {}};
  bool is_keyed() const { return values.keys.size() > 1; }
  bool operator==(const SpotRepair&) const = default;
};

struct DustRepair {
  Point at;
  std::vector<Shadow> shadows;  // ascending by aperture; at least one
  bool operator==(const DustRepair&) const = default;
};

struct AreaRepair {
  std::vector<Point> polygon;  // at least three corners
  FillFrom fill = FillFrom::around;
  Point source;  // where its middle is taken from; of `around`, found by itself
  Quilt quilt;   // of `around`, where one source is not enough; found by itself
  // Which frames it is on (none: to the end), and over how many it comes and goes, inside of them.
  FrameId first = FrameId::none, last = FrameId::none;
  int fade = 0;
  bool is_from_time() const { return fill == FillFrom::time; }
  bool operator==(const AreaRepair&) const = default;
};

// One of its kinds, in the order of RepairKind; asked for another, it is nothing.
template <typename S, typename D, typename A>
struct OfKind {
  std::variant<S, D, A> what;
  static_assert(std::variant_size_v<decltype(what)> == count_of<RepairKind>());
  RepairKind kind() const { return static_cast<RepairKind>(what.index()); }
  S* spot() { return std::get_if<S>(&what); }
  D* dust() { return std::get_if<D>(&what); }
  A* area() { return std::get_if<A>(&what); }
  const S* spot() const { return std::get_if<S>(&what); }
  const D* dust() const { return std::get_if<D>(&what); }
  const A* area() const { return std::get_if<A>(&what); }
  bool operator==(const OfKind&) const = default;
};

struct Repair : OfKind<SpotRepair, DustRepair, AreaRepair> {
  bool on = true;
  bool operator==(const Repair&) const = default;
};

// The light of a part of a frame, as the middle of some frames has it. It lies as the first of them
// does.
struct TimePatch {
  int x0 = 0, y0 = 0;  // where, in pixels of the frame
  Image light;         // camera RGB
};

// A frame, and how it lies against the first one of the sequence, in widths.
struct TimeFrame {
  FrameInfo info;
  Similarity lies;
  bool operator==(const TimeFrame&) const = default;
};

// What lies before and after an area in time.
struct TimeSources {
  int first = 0, last = 0;               // the frames that it is on, by their place
  std::vector<TimeFrame> before, after;  // those whose middle is taken (film/other_frames.h)
  Similarity lies;                       // of the frame itself
  double towards = 0;                    // 0: as before, 1: as after
  std::shared_ptr<const TimePatch> light_before, light_after;  // when they were read
  bool operator==(const TimeSources&) const = default;
};

// The same at a moment.
struct SpotAt {
  Point at, source;  // middle of it, and of what covers it
  double radius = 0;
  bool operator==(const SpotAt&) const = default;
};

struct DustAt {
  Point at;
  double radius = 0, strength = 1, falloff = Shadow::kRound;
  bool operator==(const DustAt&) const = default;
};

struct AreaAt {
  std::vector<Point> polygon;
  Point at, source;     // middle of it, and of what covers it
  double strength = 1;  // how much of it is covered
  FillFrom fill = FillFrom::source;
  Quilt quilt;
  TimeSources time;
  bool is_from_time() const { return fill == FillFrom::time; }
  bool operator==(const AreaAt&) const = default;
};

struct RepairAt : OfKind<SpotAt, DustAt, AreaAt> {
  bool is_from_time() const { return area() && area()->is_from_time(); }
  bool operator==(const RepairAt&) const = default;
};

// A repair over all frames.
class RepairCourse {
 public:
  // apertures: of each frame, 0 where it is not known.
  RepairCourse(const Repair& repair, const std::vector<double>& axis,
               const std::vector<int>& places, std::vector<double> apertures);
  std::optional<RepairAt> at(int frame) const;  // nothing where it does nothing
  RepairAt whole(int frame) const;              // also then

 private:
  RepairAt at_moment(const SpotRepair& spot, int frame) const;
  RepairAt at_moment(const DustRepair& dust, int frame) const;
  RepairAt at_moment(const AreaRepair& area, int frame) const;
  Repair repair_;
  Course values_;  // of a spot
  std::vector<double> apertures_;
  int first_ = 0, last_ = 0;  // of an area
};

Point middle_of(const std::vector<Point>& polygon);

// Its key frames and ends at other frames; those for which `to` gives none go.
void move_keys(Repair& repair, const std::function<FrameId(FrameId)>& to);

// In a line, the same on every run; for the text of a recipe.
void add_text(std::string& out, const RepairAt& repair);

}  // namespace tsukimi
