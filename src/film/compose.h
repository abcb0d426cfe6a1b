// SPDX-License-Identifier: GPL-3.0-or-later
// How the takes of a frame of the film are put together.
#pragma once

#include "film/film.h"

namespace tsukimi {

// picture: of each take, all of a size, linear Rec. 2020; asked for once each, in order, so that
// only those are there that are needed. The first that fails ends it.
Result<Image> compose(const std::function<Result<Image>(std::size_t take)>& picture,
                      const FilmRecipe& recipe);

}  // namespace tsukimi
