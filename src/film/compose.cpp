#include "film/compose.h"

#include <algorithm>

#include "base/parallel.h"
#include "motion/optical_flow.h"

namespace tsukimi {
namespace {

// Every value of the first picture from its own and those of the others. fn(own, other, k)
template <typename Fn>
Image gathered(std::vector<Image> pictures, const Fn& fn) {
  Image out = std::move(pictures.front());
  parallel_rows(out.height, [&](int y0, int y1) {
    for (std::size_t k = 1; k < pictures.size(); ++k)
      for (int c = 0; c < 3; ++c)
        for (int y = y0; y < y1; ++y) {
          float* to = out.planes[c].row(y);
          const float* from = pictures[k].planes[c].row(y);
          for (int x = 0; x < out.width; ++x) to[x] = fn(to[x], from[x], k);
        }
  });
  return out;
}

Image averaged(std::vector<Image> pictures, const std::vector<Take>& takes) {
  double all = 0;
  for (const Take& t : takes) all += t.weight;
  std::vector<float> share;
  for (const Take& t : takes) share.push_back(static_cast<float>(t.weight / all));
  for (auto& plane : pictures.front().planes)
    for (float& v : plane.data) v *= share[0];
  return gathered(std::move(pictures),
                  [&](float own, float other, std::size_t k) { return own + share[k] * other; });
}

}  // namespace

Image compose(std::vector<Image> pictures, const FilmRecipe& recipe) {
  switch (recipe.how) {
    case Composition::one:
      return std::move(pictures.front());
    case Composition::between:
      return in_between(pictures[0], pictures[1], recipe.takes[1].weight);
    case Composition::average:
      return averaged(std::move(pictures), recipe.takes);
    case Composition::lighten:
      return gathered(std::move(pictures),
                      [](float own, float other, std::size_t) { return std::max(own, other); });
  }
  return {};
}

}  // namespace tsukimi
