// SPDX-License-Identifier: GPL-3.0-or-later
// The plan of an export, and the one pass in which its frames are developed for all sinks.
#pragma once

#include <span>

#include "output/sink.h"

namespace tsukimi {

struct ExportRange {
  // Positions in the film, from 0; last -1: to the end; first -1 too: that alone.
  int first = 0, last = -1;
  static ExportRange last_frame() { return {-1, -1}; }
  bool operator==(const ExportRange&) const = default;
};

// One of several machines (or processes) that make an export together: 1 of 1 makes all of it.
struct ExportPart {
  int index = 1, count = 1;
  bool whole() const { return count == 1; }
  bool operator==(const ExportPart&) const = default;
};

struct PlannedFrame {
  int number = 1;  // in the film, whatever range of it is exported
  FilmRecipe recipe;
};
struct ExportPlan {
  std::vector<PlannedFrame> frames = {};  // all that the export has, whoever makes them
  int film = 0;                           // how many frames the film has
  Size size = {};                         // of each
  std::size_t begin = 0, end = 0;         // those that are made here
  // Of a film with trails, those that only leave theirs in what is made: all that come before, in
  // the order in which trails grow; and the frame that all have the ground of.
  std::vector<PlannedFrame> lead = {};
  std::optional<PlannedFrame> ground = {};
  bool falls_back = false;  // trails grow from the film's end to its begin
  int unit = 1;             // frames that sinks need in their order, see take_part
  ExportPart part = {};
  bool makes(std::size_t k) const { return k >= begin && k < end; }
};

// Fails when there are no frames, or when the range is not in the film.
Result<ExportPlan> plan_export(const Shoot& shoot, const LightPlan& light, ExportRange range,
                               Size size);
// Leaves the part's share of the frames to be made: whole runs of `unit` frames.
void take_part(ExportPlan& plan, ExportPart part, int unit);

// What is made at one size.
struct Route {
  const ExportPlan& plan;
  std::vector<Sink*> sinks;
};

// Reads each frame once and develops it once for every size; every sink that does not have it gets
// it. Routes differ in nothing but their size. Trails are made from all frames before those that
// lack, or from where a pass that was broken off has kept them (output/trail_run.h). Several files
// are read at once, as far as cores and memory go; developing takes one frame after the other, with
// all cores that are free. Ends when the work is cancelled or every sink is broken. seen: what was
// just made, from a thread of the pass.
using OnPicture = std::function<void(int number, const Image& picture)>;
void develop_pass(std::span<const Route> routes, const Work& work, const OnPicture& seen = {});

}  // namespace tsukimi
