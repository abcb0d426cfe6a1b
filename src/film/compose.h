// How the takes of a frame of the film are put together.
#pragma once

#include "film/film.h"

namespace tsukimi {

// pictures: one for each take, all of a size, linear Rec. 2020.
Image compose(std::vector<Image> pictures, const FilmRecipe& recipe);

}  // namespace tsukimi
