#include "develop/demosaic.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

namespace tsukimi {
namespace {

constexpr int kMargin = 8;  // rows and columns round a strip that its results depend on

// Mirrored without repeating the border pixel, so that the Bayer phase holds.
int mirrored(int i, int n) {
  while (i < 0 || i >= n) i = i < 0 ? -i : 2 * n - 2 - i;
  return i;
}

// A strip of the picture with margins, and the working planes of the method.
struct Strip {
  int width, height;  // with margins
  std::vector<float> cfa, green_h, green_v, diff_h, diff_v, vary, red, green, blue;

  Strip(int w, int h) : width(w + 2 * kMargin), height(h + 2 * kMargin) {
    for (auto* plane : {&cfa, &green_h, &green_v, &diff_h, &diff_v, &vary, &red, &green, &blue})
      plane->assign(static_cast<std::size_t>(width) * height, 0.0f);
  }
  std::size_t at(int x, int y) const { return static_cast<std::size_t>(y) * width + x; }
};

void interpolate_green(Strip& s, int stride, const float* c, float* green, float* diff, int phase_y,
                       const std::array<std::uint8_t, 4>& pattern) {
  for (int y = 2; y < s.height - 2; ++y) {
    const int row = ((y + phase_y) & 1) * 2;
    for (int x = 2; x < s.width - 2; ++x) {
      const std::size_t i = s.at(x, y);
      if (pattern[row + (x & 1)] == 1) {
        green[i] = c[i];
        // The colour difference at a green pixel, seen along this direction.
        diff[i] = 0.5f * (c[i - stride] + c[i + stride]) -
                  0.25f * (2 * c[i] + c[i - 2 * stride] + c[i + 2 * stride]);
      } else {
        green[i] = 0.5f * (c[i - stride] + c[i + stride]) +
                   0.25f * (2 * c[i] - c[i - 2 * stride] - c[i + 2 * stride]);
        diff[i] = c[i] - green[i];
      }
    }
  }
}

// Per pixel, how much the colour difference varies along x and along y; negative `vary`: rows win.
void decide(Strip& s) {
  const int w = s.width;
  std::vector<float> balance(s.vary.size(), 0.0f);
  for (int y = 4; y < s.height - 4; ++y)
    for (int x = 4; x < w - 4; ++x) {
      const std::size_t i = s.at(x, y);
      balance[i] = std::fabs(s.diff_h[i] - s.diff_h[i + 2]) +
                   std::fabs(s.diff_h[i] - s.diff_h[i - 2]) -
                   std::fabs(s.diff_v[i] - s.diff_v[i + 2 * w]) -
                   std::fabs(s.diff_v[i] - s.diff_v[i - 2 * w]);
    }
  for (int y = 6; y < s.height - 6; ++y)
    for (int x = 6; x < w - 6; ++x) {
      float sum = 0;
      for (int dy = -2; dy <= 2; ++dy) {
        const float* b = balance.data() + s.at(x - 2, y + dy);
        sum += b[0] + b[1] + b[2] + b[3] + b[4];
      }
      s.vary[s.at(x, y)] = sum;
    }
}

// Red and blue: at green pixels from the two neighbours of that colour, at the others along the
// winning direction from the green pixels beside them.
void interpolate_chroma(Strip& s, int phase_y, const std::array<std::uint8_t, 4>& pattern) {
  const int w = s.width;
  float* plane[3] = {s.red.data(), s.green.data(), s.blue.data()};
  for (int y = 6; y < s.height - 6; ++y) {
    const int row = ((y + phase_y) & 1) * 2;
    const int along = pattern[row] == 1 ? pattern[row + 1] : pattern[row];  // colour of this row
    float* in_row = plane[along];
    float* in_column = plane[2 - along];
    for (int x = 6; x < w - 6; ++x) {
      const std::size_t i = s.at(x, y);
      if (pattern[row + (x & 1)] != 1) continue;
      in_row[i] =
          s.green[i] + 0.5f * (s.cfa[i - 1] - s.green[i - 1] + s.cfa[i + 1] - s.green[i + 1]);
      in_column[i] =
          s.green[i] + 0.5f * (s.cfa[i - w] - s.green[i - w] + s.cfa[i + w] - s.green[i + w]);
    }
  }
  for (int y = 7; y < s.height - 7; ++y) {
    const int row = ((y + phase_y) & 1) * 2;
    for (int x = 7; x < w - 7; ++x) {
      const int own = pattern[row + (x & 1)];
      if (own == 1) continue;
      const std::size_t i = s.at(x, y);
      const int d = s.vary[i] < 0 ? 1 : w;
      const float* mine = plane[own];
      const float* other = plane[2 - own];
      plane[own][i] = s.cfa[i];
      plane[2 - own][i] =
          s.cfa[i] + 0.5f * (other[i - d] - mine[i - d] + other[i + d] - mine[i + d]);
    }
  }
}

}  // namespace

Image demosaic(const Plane& mosaic, std::array<std::uint8_t, 4> cfa) {
  const int width = mosaic.width, height = mosaic.height;
  Image out(width, height);
  constexpr int kRows = 64;
  parallel_ranges((height + kRows - 1) / kRows, 1, [&](int first, int last) {
    Strip s(width, kRows);
    for (int strip = first; strip < last; ++strip) {
      const int y0 = strip * kRows, phase = y0 + kMargin;  // margins are even: column phase holds
      for (int y = 0; y < s.height; ++y) {
        const float* src = mosaic.row(mirrored(y0 + y - kMargin, height));
        float* dst = s.cfa.data() + s.at(0, y);
        std::copy(src, src + width, dst + kMargin);
        for (int x = 1; x <= kMargin; ++x) {
          dst[kMargin - x] = src[mirrored(-x, width)];
          dst[kMargin + width - 1 + x] = src[mirrored(width - 1 + x, width)];
        }
      }
      interpolate_green(s, 1, s.cfa.data(), s.green_h.data(), s.diff_h.data(), phase, cfa);
      interpolate_green(s, s.width, s.cfa.data(), s.green_v.data(), s.diff_v.data(), phase, cfa);
      decide(s);
      for (std::size_t i = 0; i < s.green.size(); ++i)
        s.green[i] = s.vary[i] < 0 ? s.green_h[i] : s.green_v[i];
      interpolate_chroma(s, phase, cfa);
      const std::vector<float>* planes[3] = {&s.red, &s.green, &s.blue};
      for (int c = 0; c < 3; ++c)
        for (int y = 0; y < std::min(kRows, height - y0); ++y) {
          const float* src = planes[c]->data() + s.at(kMargin, y + kMargin);
          std::copy(src, src + width, out.planes[c].row(y0 + y));
        }
    }
  });
  return out;
}

}  // namespace tsukimi
