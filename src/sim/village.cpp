// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/village.h"

#include <cmath>

namespace tsukimi::sim {
namespace {

class Dice {
 public:
  explicit Dice(std::uint32_t seed) : seed_(seed) {}
  float operator()(float low, float high) {
    return low + (high - low) * unit_hash(++n_, 77, seed_);
  }
  bool chance(float p) { return (*this)(0, 1) < p; }

 private:
  std::uint32_t seed_;
  int n_ = 0;
};

constexpr Rgb kWalls[] = {{.62f, .60f, .55f}, {.55f, .46f, .33f}, {.42f, .22f, .16f},
                          {.38f, .42f, .45f}, {.60f, .52f, .44f}, {.30f, .36f, .33f}};
constexpr Rgb kTiles[] = {
    {.10f, .10f, .12f}, {.20f, .09f, .06f}, {.13f, .12f, .11f}, {.16f, .11f, .09f}};

void add_windows(Village& v, const House& h, Dice& dice) {
  const float width = h.x1 - h.x0, height = h.foot - h.top;
  const int columns = std::max(2, static_cast<int>(width / 0.0135f)),
            rows = height > 0.034f ? 2 : 1;
  const float w = 0.0048f, tall = 0.0078f;
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      const float x = h.x0 + width * (c + 0.5f) / columns - w / 2;
      const float y = h.top + height * (r + 0.5f) / rows - tall / 2;
      const float on = dice.chance(0.62f) ? dice(0.34f, 0.86f) : 2.0f;
      const float off = dice.chance(0.25f) ? dice(0.88f, 1.1f) : 2.0f;
      const float warm = dice(0.85f, 1.1f), strength = dice(0.012f, 0.034f);
      v.windows.push_back({x, y, x + w, y + tall, on, off,
                           Rgb{1.0f, 0.60f * warm, 0.26f * warm * warm} * strength});
    }
}

void add_row(Village& v, Dice& dice, float from, float to, float foot, float height) {
  float x = from;
  while (x < to) {
    House h;
    const float width = dice(0.028f, 0.058f);
    h.x0 = x;
    h.x1 = x + width;
    h.foot = foot + dice(-0.003f, 0.003f);
    h.top = h.foot - height * dice(0.8f, 1.35f);
    h.roof = dice(0.012f, 0.022f);
    h.gable = dice.chance(0.4f) && width < 0.045f;
    h.wall = kWalls[static_cast<int>(dice(0, 5.99f))] * dice(0.8f, 1.1f);
    h.tiles = kTiles[static_cast<int>(dice(0, 3.99f))];
    h.chimney = dice.chance(0.7f) ? dice(h.x0 + 0.006f, h.x1 - 0.009f) : -1;
    v.houses.push_back(h);
    add_windows(v, h, dice);
    x = h.x1 + (dice.chance(0.3f) ? dice(0.004f, 0.03f) : 0.0f);
  }
}

}  // namespace

Village build_village(std::uint32_t seed) {
  Dice dice(seed * 7919u + 5u);
  Village v;
  add_row(v, dice, 0.015f, 0.60f, kQuayTop, 0.034f);
  add_row(v, dice, 0.03f, 0.56f, 0.489f, 0.027f);
  add_row(v, dice, 0.09f, 0.47f, 0.452f, 0.022f);
  add_row(v, dice, 0.16f, 0.36f, 0.416f, 0.019f);
  // Two long sheds under the cranes.
  for (const float x : {0.715f, 0.885f}) {
    const House shed{x,     x + 0.135f,         kQuayTop - 0.030f,  kQuayTop, 0.014f,
                     false, {.26f, .29f, .30f}, {.19f, .14f, .12f}, -1};
    v.houses.insert(v.houses.begin(), shed);
    for (int i = 0; i < 6; ++i) {
      const float wx = x + 0.012f + 0.021f * static_cast<float>(i);
      v.windows.push_back({wx, kQuayTop - 0.023f, wx + 0.011f, kQuayTop - 0.016f, dice(0.36f, 0.6f),
                           2.0f, Rgb{0.86f, 0.92f, 0.80f} * 0.012f});
    }
  }
  const Rgb rust{.34f, .105f, .05f}, blue{.10f, .16f, .24f};
  v.cranes.push_back({0.675f, kQuayTop, 0.425f, 0.775f, 0.262f, 1.0f, rust});
  v.cranes.push_back({0.865f, kQuayTop, 0.412f, 0.800f, 0.236f, 1.1f, blue});
  v.cranes.push_back({1.015f, kQuayTop, 0.452f, 1.085f, 0.330f, 0.8f, rust});

  const Rgb sodium{1.0f, 0.56f, 0.18f}, white{1.0f, 0.86f, 0.66f};
  for (int i = 0; i < 9; ++i)
    v.lamps.push_back({0.045f + 0.122f * static_cast<float>(i), kQuayTop - 0.024f, 0.0045f, 0.10f,
                       0.36f + 0.012f * static_cast<float>(i), sodium});
  for (const auto& c : v.cranes)
    v.lamps.push_back({c.tip_x, c.tip_y, 0.0028f, 0.022f, 0.40f, {1.0f, 0.10f, 0.06f}});
  for (int i = 0; i < 7; ++i)
    v.lamps.push_back(
        {dice(0.06f, 0.50f), dice(0.40f, 0.49f), 0.0030f, 0.05f, dice(0.38f, 0.5f), white});
  v.lamps.push_back({0.112f, 0.340f, 0.010f, 0.16f, 0.40f, white});  // on the near pier
  v.lamps.push_back({kLighthouseX, kLanternY, 0.0085f, 0.5f, 0.30f, {1.0f, 0.93f, 0.74f}, true});
  return v;
}

}  // namespace tsukimi::sim
