#include "develop/clipped.h"

#include <algorithm>
#include <atomic>
#include <cmath>

#include "base/parallel.h"
#include "image/corners.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/clipped.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_CLIPPED_ONCE
#define TSUKIMI_CLIPPED_ONCE
namespace tsukimi {
struct ClipLevels {
  float level[3], begin[3], per_share[3];
};
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

HWY_ATTR inline float smooth(float t) {
  t = t > 0 ? t : 0.0f;
  t = t < 1 ? t : 1.0f;
  return t * t * (3 - 2 * t);
}

// cr, cg, cb: the colour that the surroundings have.
void recover_row(float* __restrict r, float* __restrict g, float* __restrict b,
                 const float* __restrict cr, const float* __restrict cg, const float* __restrict cb,
                 int width, const ClipLevels& levels) {
  const ClipLevels k = levels;
  for (int x = 0; x < width; ++x) {
    const float vr = r[x], vg = g[x], vb = b[x];
    const float sr = smooth((vr - k.begin[0]) * k.per_share[0]),
                sg = smooth((vg - k.begin[1]) * k.per_share[1]),
                sb = smooth((vb - k.begin[2]) * k.per_share[2]);
    // How bright the light is, by each channel; those that did not clip count, bright ones more.
    const float ir = vr / cr[x], ig = vg / cg[x], ib = vb / cb[x];
    const float pr = vr > 0 ? vr : 0.0f, pg = vg > 0 ? vg : 0.0f, pb = vb > 0 ? vb : 0.0f;
    const float wr = (1 - sr) * pr, wg = (1 - sg) * pg, wb = (1 - sb) * pb;
    const float fr = k.level[0] / cr[x], fg = k.level[1] / cg[x], fb = k.level[2] / cb[x];
    float full = fr > fg ? fr : fg;  // when the last channel clips
    full = full > fb ? full : fb;
    constexpr float kTie = 1e-4f;
    const float light = (wr * ir + wg * ig + wb * ib + kTie * full) / (wr + wg + wb + kTie);
    auto raised = [](float v, float share, float wanted) {
      return v + share * (wanted > v ? wanted - v : 0.0f);
    };
    const float nr = raised(vr, sr, cr[x] * light), ng = raised(vg, sg, cg[x] * light),
                nb = raised(vb, sb, cb[x] * light);
    // Two channels are gone and the last one nears its end: over into white, as bright as it is.
    const float two = sr * sg + sg * sb + sb * sr - 2 * sr * sg * sb;
    const float xr = vr / k.level[0], xg = vg / k.level[1], xb = vb / k.level[2];
    float last = xr < xg ? xr : xg;
    last = last < xb ? last : xb;
    const float white = two * smooth((last - 0.85f) * (1 / 0.15f));
    const float luma = kLumaR * nr + kLumaG * ng + kLumaB * nb;
    r[x] = nr + white * (luma - nr);
    g[x] = ng + white * (luma - ng);
    b[x] = nb + white * (luma - nb);
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(recover_row);

// Means of the colour of what is not clipped, cell by cell, and how much of it there is.
class ClipSampler {
 public:
  ClipSampler(Size source, const std::array<float, 3>& gains) : gains_(gains) {
    const int side = std::max(source.width, source.height);
    cell_ = std::max(2, (side / kCells + 1) & ~1);
    cells_ = {(source.width + cell_ - 1) / cell_, (source.height + cell_ - 1) / cell_};
    for (auto& s : sums_) s = Plane(cells_.width, cells_.height);
  }
  int cell() const { return cell_; }
  Size cells() const { return cells_; }

  // One place of a cell, in shares of clipping, not balanced.
  struct Cell {
    float sum[3] = {0, 0, 0}, weight = 0;
    bool clipped = false;
    const std::array<float, 3>& gains;
    void add(float r, float g, float b) {
      const float most = std::max({r, g, b});
      if (most >= kFull) {
        clipped = true;
        return;
      }
      const float v[3] = {std::max(r, 0.0f) * gains[0], std::max(g, 0.0f) * gains[1],
                          std::max(b, 0.0f) * gains[2]};
      const float all = v[0] + v[1] + v[2];
      if (!(all > 0) || !(most > 0)) return;
      const float square = most * most, w = square * square;  // what is nearly clipped tells most
      for (int c = 0; c < 3; ++c) sum[c] += w * v[c] / all;
      weight += w;
    }
  };

  // fill(cell x, cell y, cell) for all cells.
  template <typename Fill>
  ClipGuide guide(const Fill& fill) {
    std::atomic<bool> any{false};
    parallel_ranges(cells_.height, 2, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < cells_.width; ++x) {
          Cell cell{{0, 0, 0}, 0, false, gains_};
          fill(x, y, cell);
          for (int c = 0; c < 3; ++c) sums_[c].at(x, y) = cell.sum[c];
          sums_[3].at(x, y) = cell.weight;
          if (cell.clipped) any = true;
        }
    });
    ClipGuide out;
    if (!any) return out;
    for (int c = 0; c < 3; ++c) out.level_[c] = gains_[c];
    out.cell_ = static_cast<float>(cell_);
    spread(out);
    return out;
  }

 private:
  static constexpr int kCells = 128;  // on the long side
  static constexpr float kFull = 0.97f;

  // Into what has no colour of its own: pyramids of sums, filled from the coarsest on (pull and
  // push; Gortler et al., "The lumigraph", 1996), then a little smoothing.
  void spread(ClipGuide& out) const {
    std::vector<std::array<Plane, 4>> levels{sums_};
    while (levels.back()[0].width > 1 || levels.back()[0].height > 1) {
      const auto& fine = levels.back();
      std::array<Plane, 4> coarse;
      const int w = (fine[0].width + 1) / 2, h = (fine[0].height + 1) / 2;
      for (int c = 0; c < 4; ++c) {
        coarse[c] = Plane(w, h);
        std::fill(coarse[c].data.begin(), coarse[c].data.end(), 0.0f);
        for (int y = 0; y < fine[c].height; ++y)
          for (int x = 0; x < fine[c].width; ++x) coarse[c].at(x / 2, y / 2) += fine[c].at(x, y);
      }
      levels.push_back(std::move(coarse));
    }
    std::array<Plane, 3> colour;
    for (auto& p : colour) p = Plane(1, 1), p.at(0, 0) = 1.0f / 3;
    constexpr float kEnough =
        0.25f;  // weight at which a cell trusts itself as much as those round it
    for (auto level = levels.rbegin(); level != levels.rend(); ++level) {
      const auto& s = *level;
      const int w = s[0].width, h = s[0].height;
      std::array<Plane, 3> next;
      for (int c = 0; c < 3; ++c) {
        next[c] = Plane(w, h);
        for (int y = 0; y < h; ++y)
          for (int x = 0; x < w; ++x) {
            const float above = between(colour[c], (static_cast<float>(x) + 0.5f) / 2 - 0.5f,
                                        (static_cast<float>(y) + 0.5f) / 2 - 0.5f);
            next[c].at(x, y) = (s[c].at(x, y) + kEnough * above) / (s[3].at(x, y) + kEnough);
          }
      }
      colour = std::move(next);
    }
    constexpr float kLeast = 0.04f;  // of a channel: what is next to nothing tells nothing
    for (int c = 0; c < 3; ++c) {
      out.colour_[c] = Plane(cells_.width, cells_.height);
      for (int y = 0; y < cells_.height; ++y)
        for (int x = 0; x < cells_.width; ++x) {
          float sum = 0;
          for (int j = -1; j <= 1; ++j)
            for (int i = -1; i <= 1; ++i)
              sum += colour[c].at(std::clamp(x + i, 0, cells_.width - 1),
                                  std::clamp(y + j, 0, cells_.height - 1)) *
                     static_cast<float>((2 - std::abs(i)) * (2 - std::abs(j)));
          out.colour_[c].at(x, y) = std::max(sum / 16, kLeast);
        }
    }
  }

  static float between(const Plane& p, float x, float y) {
    const auto [x0, y0, x1, y1, tx, ty] = Corners(p.width, p.height, x, y);
    const float a = p.at(x0, y0) + tx * (p.at(x1, y0) - p.at(x0, y0)),
                b = p.at(x0, y1) + tx * (p.at(x1, y1) - p.at(x0, y1));
    return a + ty * (b - a);
  }

  std::array<float, 3> gains_;
  int cell_ = 1;
  Size cells_;
  std::array<Plane, 4> sums_;
};

void ClipGuide::recover(float* r, float* g, float* b, int left, int y, int width) const {
  if (empty()) return;
  thread_local std::vector<float> scratch;
  scratch.resize(static_cast<std::size_t>(width) * 3);
  const Plane& first = colour_[0];
  const float fy = std::clamp((static_cast<float>(y) + 0.5f) / cell_ - 0.5f, 0.0f,
                              static_cast<float>(first.height - 1));
  const int y0 = static_cast<int>(fy), y1 = std::min(y0 + 1, first.height - 1);
  const float ty = fy - static_cast<float>(y0);
  for (int c = 0; c < 3; ++c) {
    const float *above = colour_[c].row(y0), *below = colour_[c].row(y1);
    float* out = scratch.data() + static_cast<std::size_t>(c) * width;
    for (int x = 0; x < width; ++x) {
      const float fx = std::clamp((static_cast<float>(left + x) + 0.5f) / cell_ - 0.5f, 0.0f,
                                  static_cast<float>(first.width - 1));
      const int x0 = static_cast<int>(fx), x1 = std::min(x0 + 1, first.width - 1);
      const float tx = fx - static_cast<float>(x0);
      const float a = above[x0] + tx * (above[x1] - above[x0]),
                  d = below[x0] + tx * (below[x1] - below[x0]);
      out[x] = a + ty * (d - a);
    }
  }
  ClipLevels k;
  constexpr float kSoft = 0.015f;
  for (int c = 0; c < 3; ++c) {
    k.level[c] = level_[c];
    k.begin[c] = kBegin * level_[c];
    k.per_share[c] = 1 / (kSoft * level_[c]);
  }
  HWY_DYNAMIC_DISPATCH(recover_row)
  (r, g, b, scratch.data(), scratch.data() + width, scratch.data() + 2 * width, width, k);
}

ClipGuide clip_guide(const Mosaic& mosaic, const std::array<float, 3>& gains) {
  ClipSampler sampler({mosaic.width, mosaic.height}, gains);
  const int size = sampler.cell(), step = std::max(2, size / 4 & ~1);  // about 16 places a cell
  return sampler.guide([&](int cx, int cy, ClipSampler::Cell& cell) {
    for (int y = cy * size; y + 1 < std::min(mosaic.height, (cy + 1) * size); y += step)
      for (int x = cx * size; x + 1 < std::min(mosaic.width, (cx + 1) * size); x += step) {
        float v[3] = {0, 0, 0}, most = 0;
        const std::uint16_t *above = mosaic.row(y) + x, *below = mosaic.row(y + 1) + x;
        const std::uint16_t numbers[4] = {above[0], above[1], below[0], below[1]};
        for (int i = 0; i < 4; ++i) {
          const float light = (static_cast<float>(numbers[i]) - mosaic.black[i]) * mosaic.scale[i];
          most = std::max(most, light);
          v[mosaic.cfa[i]] += light * (mosaic.cfa[i] == 1 ? 0.5f : 1.0f);
        }
        if (most >= 1)
          cell.clipped = true;
        else
          cell.add(v[0], v[1], v[2]);
      }
  });
}

ClipGuide clip_guide(const Image& camera, const std::array<float, 3>& gains) {
  ClipSampler sampler(camera.size(), gains);
  const int size = sampler.cell(), step = std::max(1, size / 4);
  return sampler.guide([&](int cx, int cy, ClipSampler::Cell& cell) {
    for (int y = cy * size; y < std::min(camera.height, (cy + 1) * size); y += step)
      for (int x = cx * size; x < std::min(camera.width, (cx + 1) * size); x += step)
        cell.add(camera.planes[0].at(x, y), camera.planes[1].at(x, y), camera.planes[2].at(x, y));
  });
}

ClipGuide clip_guide(const Proxy& proxy, const std::array<float, 3>& gains) {
  ClipSampler sampler({proxy.width, proxy.height}, gains);
  const int size = sampler.cell(), step = std::max(1, size / 4);
  const std::size_t plane = static_cast<std::size_t>(proxy.width) * proxy.height;
  auto light = [&](std::size_t i) {
    return (static_cast<float>(proxy.data[i]) - kProxyPedestal) * (1 / kProxyScale);
  };
  return sampler.guide([&](int cx, int cy, ClipSampler::Cell& cell) {
    for (int y = cy * size; y < std::min(proxy.height, (cy + 1) * size); y += step)
      for (int x = cx * size; x < std::min(proxy.width, (cx + 1) * size); x += step) {
        const std::size_t i = static_cast<std::size_t>(y) * proxy.width + x;
        cell.add(light(i), light(i + plane), light(i + 2 * plane));
      }
  });
}

}  // namespace tsukimi
#endif
