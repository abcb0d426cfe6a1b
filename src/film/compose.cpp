// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/compose.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "film/fade.h"
#include "motion/optical_flow.h"

namespace tsukimi {
namespace {

using Pictures = std::function<Result<Image>(std::size_t)>;

// Every value of a picture from its own and that of another. fn(own, other)
template <typename Fn>
void gather(Image& out, const Image& more, const Fn& fn) {
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        float* to = out.planes[c].row(y);
        const float* from = more.planes[c].row(y);
        for (int x = 0; x < out.width; ++x) to[x] = fn(to[x], from[x]);
      }
  });
}

void add(Image& out, Image more, float share) {
  if (out.width > 0)
    return gather(out, more, [share](float own, float other) { return own + share * other; });
  out = std::move(more);
  for (auto& plane : out.planes)
    for (float& v : plane.data) v *= share;
}

Result<Image> averaged(const Pictures& picture, const std::vector<Take>& takes) {
  double all = 0;
  for (const Take& t : takes) all += t.weight;
  Image out;
  for (std::size_t k = 0; k < takes.size(); ++k) {
    auto more = picture(k);
    if (!more) return more;
    add(out, std::move(*more), static_cast<float>(takes[k].weight / all));
  }
  return out;
}

Result<Image> lightened(const Pictures& picture, std::size_t count) {
  auto out = picture(0);
  for (std::size_t k = 1; k < count && out; ++k) {
    const auto more = picture(k);
    if (!more) return more;
    gather(*out, *more, [](float own, float other) { return std::max(own, other); });
  }
  return out;
}

Result<Image> made_between(const Pictures& picture, double t) {
  const auto a = picture(0);
  if (!a) return a;
  const auto b = picture(1);
  if (!b) return b;
  return in_between(*a, *b, t);
}

// The mean of what is seen from `open` to `shut`, while the picture runs along what moves from take
// to take: of even steps, no longer than a quarter of the way between two of them.
Result<Image> swept(const Pictures& picture, const FilmRecipe& recipe) {
  constexpr int kFewestSteps = 4, kMost = 64;
  const auto& takes = recipe.takes;
  const double way = recipe.shut - recipe.open;
  const int steps = std::clamp(static_cast<int>(std::ceil(4 * way)), kFewestSteps, kMost);
  Image out;
  std::size_t i = 0;
  auto from = picture(0);
  if (!from) return from;
  auto to = picture(1);
  if (!to) return to;
  auto between = std::make_unique<Between>(*from, *to);
  for (int k = 0; k < steps; ++k) {
    const double at = recipe.open + way * (k + 0.5) / steps;
    for (; i + 2 < takes.size() && takes[i + 1].at <= at; ++i) {
      from = std::move(to);
      to = picture(i + 2);
      if (!to) return to;
      between = std::make_unique<Between>(*from, *to);
    }
    const double t = std::clamp((at - takes[i].at) / (takes[i + 1].at - takes[i].at), 0.0, 1.0);
    add(out, between->at(t), 1.0f / static_cast<float>(steps));
  }
  return out;
}

Result<Image> together(const Pictures& picture, const FilmRecipe& recipe) {
  switch (recipe.how) {
    case Composition::one:
      return picture(0);
    case Composition::between:
      return made_between(picture, recipe.takes[1].weight);
    case Composition::average:
      return averaged(picture, recipe.takes);
    case Composition::swept:
      return swept(picture, recipe);
    case Composition::lighten:
      return lightened(picture, recipe.takes.size());
  }
  return fail("");
}

}  // namespace

Result<Image> compose(const Pictures& picture, const FilmRecipe& recipe) {
  auto out = together(picture, recipe);
  if (out) fade(*out, recipe.fade);
  return out;
}

}  // namespace tsukimi
