// SPDX-License-Identifier: GPL-3.0-or-later
// An animated GIF: 256 colours that are chosen over the whole film.
#pragma once

#include "output/join_film.h"

namespace tsukimi {

// A picture in the colours of sRGB as a film's segments take it: green, blue and red in the place
// of Y', Cb and Cr, to be kept without loss.
YCbCr gif_planes(const Image& rec2020);

// As join_film(), of such segments. Goes through them twice: for the colours, then for the
// pictures. A GIF counts time in hundredths of a second: every frame comes at its own, rounded.
Result<void> join_gif(const std::filesystem::path& file, const FilmFacts& facts,
                      const FilmParts& parts, const Work& work = {});

}  // namespace tsukimi
