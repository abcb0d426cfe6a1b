#include "develop/white_balance.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

namespace tsukimi {

void balance_mosaic(Plane& mosaic, const std::array<std::uint8_t, 4>& cfa, const WhiteBalance& wb) {
  parallel_rows(mosaic.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float* row = mosaic.row(y);
      const float g0 = wb.gains[cfa[(y & 1) * 2]], g1 = wb.gains[cfa[(y & 1) * 2 + 1]];
      for (int x = 0; x + 1 < mosaic.width; x += 2) {
        row[x] = std::min(row[x] * g0, wb.clip);
        row[x + 1] = std::min(row[x + 1] * g1, wb.clip);
      }
    }
  });
}

void balance_rgb(Image& image, const WhiteBalance& wb) {
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        float* row = image.planes[c].row(y);
        for (int x = 0; x < image.width; ++x) row[x] = std::min(row[x] * wb.gains[c], wb.clip);
      }
  });
}

void to_working_space(Image& image, const WhiteBalance& wb, double stops) {
  const double gain = std::exp2(stops);
  float m[9];
  for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(wb.to_working.m[i] * gain);
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float *r = image.planes[0].row(y), *g = image.planes[1].row(y), *b = image.planes[2].row(y);
      for (int x = 0; x < image.width; ++x) {
        const float cr = r[x], cg = g[x], cb = b[x];
        r[x] = m[0] * cr + m[1] * cg + m[2] * cb;
        g[x] = m[3] * cr + m[4] * cg + m[5] * cb;
        b[x] = m[6] * cr + m[7] * cg + m[8] * cb;
      }
    }
  });
}

}  // namespace tsukimi
