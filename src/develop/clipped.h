// Highlights in which the sensor clipped.
//
// Channels clip one after the other: green mostly first, which turns a sunset magenta when white
// balance lifts red and blue beyond it. What the other channels still saw is kept, and a clipped
// channel, of which only the least is known, is put at the mean of the others where that is more;
// where all are clipped the light is white. Every pixel is its own measure, so nothing flickers.
#pragma once

#include <algorithm>
#include <array>

namespace tsukimi {

struct ClipLevels {
  std::array<float, 3> level{1e9f, 1e9f, 1e9f};  // of balanced camera RGB at which a channel clips
  std::array<float, 3> per_share{0, 0, 0};
  float top = 1e9f;

  ClipLevels() = default;  // nothing is clipped
  explicit ClipLevels(const std::array<float, 3>& gains) : level(gains) {
    for (int c = 0; c < 3; ++c) per_share[c] = 1 / (kSoft * level[c]);
    top = std::max({level[0], level[1], level[2]});
  }
  // Noise makes the border of what is clipped soft.
  static constexpr float kBegin = 0.9f, kSoft = 0.085f;
};

// Balanced camera RGB, in place. Written so that loops over it become SIMD.
inline void recover_clipped(float& r, float& g, float& b, const ClipLevels& k) {
  auto share = [&k](float v, int c) {
    float t = (v - ClipLevels::kBegin * k.level[c]) * k.per_share[c];
    t = t > 0 ? t : 0.0f;
    t = t < 1 ? t : 1.0f;
    return t * t * (3 - 2 * t);
  };
  auto raise = [](float v, float w, float others) {
    return v + w * (others > v ? others - v : 0.0f);
  };
  const float wr = share(r, 0), wg = share(g, 1), wb = share(b, 2), all = wr * wg * wb;
  const float nr = raise(r, wr, 0.5f * (g + b)), nb = raise(b, wb, 0.5f * (r + g)),
              ng = raise(g, wg, 0.5f * (nr + nb));  // last: never below both, which is magenta
  r = nr + all * (k.top - nr);
  g = ng + all * (k.top - ng);
  b = nb + all * (k.top - nb);
}

}  // namespace tsukimi
