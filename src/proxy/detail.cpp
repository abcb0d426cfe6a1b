// SPDX-License-Identifier: GPL-3.0-or-later
#include "proxy/detail.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "image/orientation.h"

namespace tsukimi {
namespace {

constexpr int kSampledRows = 8;  // per row of blocks, at least

struct Sums {
  double x = 0, y = 0, light = 0;
  int count = 0;
};

float sharpness(const Sums& s) {
  if (s.count == 0) return 0;
  const double n = s.count, light = std::max(s.light / n, 0.0) + 2e-3;
  return static_cast<float>(std::pow(s.x / n * (s.y / n), 0.125) / light);
}

}  // namespace

DetailGrid measure_detail(Size size, const std::function<void(int y, float* out)>& green_row,
                          int step, int offset, int orientation) {
  constexpr int columns = DetailGrid::kColumns, rows = DetailGrid::kRows;
  Image grid(columns, rows);
  parallel_ranges(rows, 1, [&](int first, int last) {
    std::vector<float> lines[3];
    for (auto& line : lines) line.resize(size.width);
    for (int row = first; row < last; ++row) {
      const int top = row * size.height / rows, bottom = (row + 1) * size.height / rows;
      const int every = std::max(step, (bottom - top) / kSampledRows / step * step);
      std::vector<Sums> sums(columns);
      for (int y = (top + 1) / 2 * 2; y < bottom; y += every) {
        if (y < step || y + step >= size.height) continue;
        for (int i = 0; i < 3; ++i) green_row(y + (i - 1) * step, lines[i].data());
        const float *above = lines[0].data(), *here = lines[1].data(), *below = lines[2].data();
        for (int column = 0; column < columns; ++column) {
          const int x0 = column * size.width / columns, x1 = (column + 1) * size.width / columns;
          Sums& s = sums[column];
          float fx = 0, fy = 0, light = 0;
          for (int x = x0 / 2 * 2 + offset; x < x1; x += step) {
            if (x < step || x + step >= size.width) continue;
            const float twice = 2 * here[x];
            const float dx = twice - here[x - step] - here[x + step],
                        dy = twice - above[x] - below[x];
            fx += dx * dx * dx * dx;
            fy += dy * dy * dy * dy;
            light += here[x];
            ++s.count;
          }
          s.x += fx, s.y += fy, s.light += light;
        }
      }
      for (int column = 0; column < columns; ++column)
        for (auto& plane : grid.planes) plane.at(column, row) = sharpness(sums[column]);
    }
  });
  // A frame on its side has its blocks on their side; the nearest block stands in.
  const Image upright = oriented(std::move(grid), orientation);
  DetailGrid out;
  out.sharp.resize(DetailGrid::kCells);
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column)
      out.sharp[row * columns + column] =
          upright.planes[0].at(column * upright.width / columns, row * upright.height / rows);
  return out;
}

}  // namespace tsukimi
