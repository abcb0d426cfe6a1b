#include "film/tones.h"

#include <cmath>

#include "develop/display.h"
#include "measure/histogram.h"

namespace tsukimi {

FilmRecipe tone_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       int frame) {
  const Rect part = film_rect(shoot);
  const double w = part.w * shoot.sequence.size.width, h = part.h * shoot.sequence.size.height,
               scale = kToneWidth / std::max({w, h, 1.0});
  const Size size{std::max(1, static_cast<int>(std::lround(w * scale))),
                  std::max(1, static_cast<int>(std::lround(h * scale)))};
  return film_recipe_without_lenses(shoot, courses, plan, {frame, -1, -1},
                                    view_placement(shoot, part, size));
}

Result<ToneColumn> tones_of(ProxyStore& store, const FilmRecipe& recipe) {
  const PictureRecipe& picture = recipe.first();
  const auto head = store.head(picture.source.info);
  if (!head) return tl::unexpected(head.error());
  const Histogram h = histogram_of(to_srgb8(develop_proxy(head->thumbnail, picture)));
  const auto& bins = h.counts[Histogram::brightness];
  double all = 0;
  for (std::uint32_t n : bins) all += n;
  ToneColumn out;
  for (int i = 0; i < Histogram::kBins; ++i)
    out.spread[static_cast<std::size_t>(i * ToneColumn::kBins / Histogram::kBins)] +=
        static_cast<float>(bins[static_cast<std::size_t>(i)] / all);
  out.clipped = static_cast<float>(h.clipped);
  out.black = static_cast<float>(h.black);
  return out;
}

std::vector<int> coarse_first(int frames) {
  std::vector<int> out;
  constexpr int kCoarse = 16;
  for (int i = 0; i < frames; i += kCoarse) out.push_back(i);
  for (int step = kCoarse; step > 1; step /= 2)
    for (int i = step / 2; i < frames; i += step) out.push_back(i);
  return out;
}

}  // namespace tsukimi
