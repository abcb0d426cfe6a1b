// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/local_amounts.h"

#include <algorithm>
#include <optional>

#include "base/parallel.h"
#include "develop/smooth_light.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/local_amounts.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// Whether there is anything in it.
bool store_row(const float* __restrict mask, int width, std::uint16_t* __restrict out) {
  int all = 0;
  for (int x = 0; x < width; ++x) {
    float v = mask[x] * 65535.0f + 0.5f;
    v = v > 0 ? v : 0.0f;
    v = v < 65535 ? v : 65535.0f;
    const int whole = static_cast<int>(v);
    all |= whole;
    out[x] = static_cast<std::uint16_t>(whole);
  }
  return all != 0;
}

void add_row(const std::uint16_t* __restrict mask, float value, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] += value * static_cast<float>(mask[x]);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(store_row);
HWY_EXPORT(add_row);

LocalAmounts::LocalAmounts(const Image& image, const PictureRecipe& settings, Size frame)
    : places_(settings.places), veil_(settings.veil.has_value()), width_(image.width) {
  if (veil_) {  // seen only: it adds nothing
    places_.push_back(*settings.veil);
    places_.back().values = presets(kPlace);
  }
  if (places_.empty()) return;
  for (const auto& row : kPlace.rows())
    for (const PlaceAt& p : places_)
      values_[static_cast<std::size_t>(kPlace.index(row.id))].push_back(
          static_cast<float>(p.values[row.id] * p.share()));
  std::vector<Mask> drawn;
  for (const PlaceAt& p : places_) drawn.emplace_back(p, settings.placement, image.size(), frame);
  masks_.resize(places_.size());
  for (Stored& m : masks_) {
    m.data.resize(static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height));
    m.some.resize(static_cast<std::size_t>(image.height));
  }
  const bool hues = std::ranges::any_of(places_, &PlaceAt::limits_hues),
             limited = hues || std::ranges::any_of(places_, &PlaceAt::limits_tones);
  std::optional<SmoothLight> light;
  if (limited) light.emplace(image, settings.look[Param::exposure], hues);
  parallel_rows(image.height, [&](int y0, int y1) {
    std::vector<float> row(static_cast<std::size_t>(width_));
    for (int y = y0; y < y1; ++y) {
      const RowLight here = light ? light->row(image, y) : RowLight();
      for (std::size_t k = 0; k < drawn.size(); ++k) {
        drawn[k].row(y, here, row.data());
        masks_[k].some[static_cast<std::size_t>(y)] = HWY_DYNAMIC_DISPATCH(store_row)(
            row.data(), width_, masks_[k].data.data() + static_cast<std::size_t>(y) * width_);
      }
    }
  });
}

bool LocalAmounts::uses(Param p) const {
  return std::ranges::any_of(places_, [&](const PlaceAt& a) { return a.values[p] != 0; });
}

void LocalAmounts::sum(std::span<const float> values, int y, float* out) const {
  std::fill_n(out, width_, 0.0f);
  for (std::size_t k = 0; k < masks_.size(); ++k)
    if (values[k] != 0) HWY_DYNAMIC_DISPATCH(add_row)
  (masks_[k].data.data() + static_cast<std::size_t>(y) * width_, values[k] * (1 / 65535.0f), width_,
   out);
}

void LocalAmounts::veil(int y, float* out) const {
  std::vector<float> only(places_.size());
  only.back() = 1;
  sum(only, y, out);
}

void LocalAmounts::sum(Param p, int y, float* out) const {
  sum(values_[static_cast<std::size_t>(kPlace.index(p))], y, out);
}

}  // namespace tsukimi
#endif
