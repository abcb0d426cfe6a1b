// SPDX-License-Identifier: GPL-3.0-or-later
// How the tones of one frame of the film are spread, as it is developed: a column of tones over
// time.
#pragma once

#include <array>

#include "film/film.h"

namespace tsukimi {

struct ToneColumn {
  static constexpr int kBins = 64;    // of brightness, from black to white
  std::array<float, kBins> spread{};  // shares of the picture, together 1
  float clipped = 0, black = 0;       // shares, as in measure/histogram.h
};

// A small picture is enough: about this many pixels on the long side.
constexpr int kToneWidth = 120;

// The recipe of a frame for this: the film's picture, small. Frames that the film passes over or
// makes show themselves.
FilmRecipe tone_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       int frame);
// From the frame's thumbnail. Fails like read_frame.
Result<ToneColumn> tones_of(ProxyStore& store, const FilmRecipe& recipe);

// Frames in an order in which any beginning of it is spread evenly: every 16th first, then what
// lies between.
std::vector<int> coarse_first(int frames);

}  // namespace tsukimi
