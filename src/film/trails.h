// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails: finished frames of the film, each with the light that those before it have left.
//
// In linear light, L_k = max(P_k, f L_(k-1)), where f is what a tail keeps from frame to frame; so
// a frame with its trail is the lightest of all frames before it, each as dark as it is old.
// Between two exposures each star is carried along its own way, by the turn of the sky (SkyStep):
// the picture, turned back by parts of the step, joins with what has faded as much.
#pragma once

#include <span>

#include "base/result.h"
#include "film/film.h"

namespace tsukimi {

// What a frame of the film keeps; nothing when the film has no trails, or no such frame. Frames by
// their number in the film, from 0.
std::optional<TrailAt> trail_at(const Shoot& shoot, const Courses& courses, int number);

// The frame of the film, by its number, whose ground all have: the one that shows the frame of the
// sequence that was chosen, or is nearest to it.
int ground_number(const Shoot& shoot, const Courses& courses);

// Puts into every trail what came before it, and what the ground is taken from. Recipes of frames
// that follow each other, from where trails begin.
void link_trails(std::span<FilmRecipe* const> recipes, const FilmRecipe* ground);

// A frame as it is given to its trail, and what the film shows of one that has it: its crop, faded.
FilmRecipe unfaded(FilmRecipe recipe);
Image finished(Image picture, const FilmRecipe& recipe);

// What one frame leaves to the next; of one size. Frames are given in the order in which trails
// grow, without fading to black (FilmRecipe::fade).
class TrailState {
 public:
  // The frame as the film shows it.
  Image show(Image picture, const FilmRecipe& recipe);
  // The next frame in another size, with the light that those before it have left; nothing changes.
  Image show_over(Image picture, const FilmRecipe& recipe) const;
  // A frame that could not be made: what was left fades, and nothing is closed or kept out there.
  void miss(const FilmRecipe& recipe);
  // The ground of all frames, where it is that of one; before the first is shown.
  void set_ground(Image ground) { ground_ = std::move(ground); }
  bool is_empty() const { return light_.width == 0; }

  // All of it but a ground that is of one frame, to go on later with the same bits.
  std::vector<std::uint8_t> bytes() const;
  static Result<TrailState> from_bytes(std::span<const std::uint8_t> bytes);

 private:
  void keep_out(Image& picture, Span rows, const FilmRecipe& recipe);
  void add_to_ground(const Image& picture, int mean_of);
  Image light_;   // the brightest so far, as dark as it is old
  Image before_;  // of the frame before the sky's rows, as made; only where something is kept out
  Image ground_;
  int seen_ = 0;  // frames that the ground is the mean of
};

}  // namespace tsukimi
