// SPDX-License-Identifier: GPL-3.0-or-later
// What the film shows of every frame: crop, straightening, glide and steadying together.
//
// The crop lies on the steadied scene; a similarity takes it from there to each frame. Where it
// would show what lies beyond the frame's border (a corner that is turned out, a frame that the
// wind moved) the crop is smaller on all frames by one factor: nothing breathes.
#pragma once

#include "document/pace/film_frames.h"
#include "framing/glide.h"
#include "framing/placement.h"

namespace tsukimi {

class FramingCourse {
 public:
  explicit FramingCourse(const Shoot& shoot);
  FramingCourse(const Shoot& shoot, const Decisions& decisions, const FilmFrames& film);

  // When a frame of the sequence comes in the film (FilmFrames::time).
  double time(int frame) const;
  // The crop as it was asked for: its angle without the straightening; as values of a key frame.
  CropAt crop(double time) const;
  Values values(int frame) const;
  double speed(double time) const;  // of the glide (framing/glide.h); 0 without one

  // Of a picture of this size that is made from a frame for a time of the film: the crop, trimmed
  // evenly to the shape of that size, so that nothing is ever stretched.
  Placement film(double time, int frame, Size size) const;
  Placement film(int frame, Size size) const { return film(time(frame), frame, size); }
  // The same, all of the crop; without a size.
  Placement all_of_crop(double time, int frame) const;
  // Of the whole frame, with the part that a film of that shape shows (as if not turned).
  Placement whole_frame(int frame, Size size, Size film) const;

  // By how much the crop is smaller than asked for, so that no border shows: 1 is not at all.
  double fit() const { return fit_; }
  double fit_for_turn() const { return fit_turn_; }  // without steadying
  // Pixels of the crop where it is smallest (natural_size).
  Size smallest() const;
  Size smallest(Size shape) const;  // trimmed to the shape of that size
  bool steadied() const { return !shaken_.empty(); }
  bool holds_stars() const { return !skies_.empty(); }
  // Where what lies somewhere on the steadied scene lies in a frame.
  Similarity shaken(int frame) const;
  // The same where the stars are held; nothing when they are not, or when it is not known how they
  // went.
  std::optional<SkyTurn> sky(int frame) const;
  // The farthest that the land is turned, in degrees; the stars are not held where it is more than
  // kMostHeld.
  double held_turn() const { return held_turn_; }
  static constexpr double kMostHeld = 45;

 private:
  struct Placed {  // in pixels of the frame
    Point middle, right, down;
  };
  Placed placed(const CropAt& crop, double fit, double shape, const Similarity& shaken) const;
  double fit_of(const CropAt& crop, const Similarity& shaken) const;
  double fit_of(const CropAt& crop, const SkyTurn& sky, double most) const;
  void hold_stars(const Shoot& shoot, const Decisions& decisions, const FilmFrames& film);
  void find_fit(const FilmFrames& film);
  Rect rect_of(const CropAt& crop) const;
  Rect trimmed(Rect rect, double shape) const;
  Placement placement(double time, int frame, double shape) const;
  double smallest_width() const;

  Size frame_{1, 1};
  double aspect_ = 1, shape_ = 1;  // of the frame, of the crop; in pixels
  Rect rest_;                      // where it does not glide
  double straighten_ = 0;
  std::vector<double> times_;  // of frames; empty: as they come
  std::optional<Glide> glide_;
  std::vector<CropAt> keys_;        // of the glide
  std::vector<Similarity> shaken_;  // of frames; empty: not steadied
  std::vector<SkyTurn> skies_;      // of frames; empty: the stars are not held
  double held_turn_ = 0;
  double fit_ = 1, fit_turn_ = 1;
};

}  // namespace tsukimi
