// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/tones.h"

#include <cmath>

#include "develop/display.h"
#include "document/framing/output_size.h"
#include "measure/histogram.h"

namespace tsukimi {

FilmRecipe tone_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       int frame) {
  const Size all = output_size(shoot, courses.framing);
  const double scale = static_cast<double>(kToneWidth) / std::max(all.width, all.height);
  const Size size{std::max(1, static_cast<int>(std::lround(all.width * scale))),
                  std::max(1, static_cast<int>(std::lround(all.height * scale)))};
  return film_recipe_without_lenses(shoot, courses, plan, itself(frame, courses.film.time(frame)),
                                    {false, size, {}});
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
