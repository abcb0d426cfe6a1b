#include "frames/detail.h"

#include <algorithm>
#include <cmath>

#include "frames/sensor_frame.h"
#include "image/parallel.h"

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

DetailGrid measure_detail(const Plane& green, bool mosaic, const std::array<std::uint8_t, 4>& cfa,
                          int orientation) {
  const int step = mosaic ? 2 : 1;
  const int offset = mosaic && cfa[0] != 1 ? 1 : 0;  // of the first green in even rows
  constexpr int columns = DetailGrid::kColumns, rows = DetailGrid::kRows;
  Image grid(columns, rows);
  parallel_ranges(rows, 1, [&](int first, int last) {
    for (int row = first; row < last; ++row) {
      const int top = row * green.height / rows, bottom = (row + 1) * green.height / rows;
      const int every = std::max(step, (bottom - top) / kSampledRows / step * step);
      std::vector<Sums> sums(columns);
      for (int y = (top + 1) / 2 * 2; y < bottom; y += every) {
        if (y < step || y + step >= green.height) continue;
        const float *above = green.row(y - step), *here = green.row(y),
                    *below = green.row(y + step);
        for (int column = 0; column < columns; ++column) {
          const int x0 = column * green.width / columns, x1 = (column + 1) * green.width / columns;
          Sums& s = sums[column];
          float fx = 0, fy = 0, light = 0;
          for (int x = x0 / 2 * 2 + offset; x < x1; x += step) {
            if (x < step || x + step >= green.width) continue;
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
