// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/quilt.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace tsukimi {
namespace {

constexpr int kCellsAcross = 8, kSmallestCell = 6,
              kLargestCell = 24;  // of the smaller side; pixels
constexpr float kImpossible = 1e3f;

struct Box {
  int x0, y0, x1, y1;
};

Box box_of(const std::vector<Point>& polygon, Size picture) {
  const Bounds b = bounds_of(polygon);
  auto pixel = [](double v, int size) {
    return std::clamp(static_cast<int>(std::floor(v * size)), 0, size);
  };
  return {pixel(b.left, picture.width), pixel(b.top, picture.height),
          std::min(picture.width, pixel(b.right, picture.width) + 1),
          std::min(picture.height, pixel(b.bottom, picture.height) + 1)};
}

// The pixels that are to be covered, as a picture of their box.
class Hole {
 public:
  Hole(const std::vector<Point>& polygon, Size picture) : box_(box_of(polygon, picture)) {
    const int w = box_.x1 - box_.x0, h = box_.y1 - box_.y0;
    inside_.resize(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const double px = (box_.x0 + x + 0.5) / picture.width,
                     py = (box_.y0 + y + 0.5) / picture.height;
        inside_[index(x, y)] = is_inside(polygon, px, py);
      }
  }
  const Box& box() const { return box_; }
  bool has(int x, int y) const {
    return x >= box_.x0 && y >= box_.y0 && x < box_.x1 && y < box_.y1 &&
           inside_[index(x - box_.x0, y - box_.y0)];
  }

 private:
  std::size_t index(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(box_.x1 - box_.x0) +
           static_cast<std::size_t>(x);
  }
  Box box_;
  std::vector<bool> inside_;
};

// The grid of cells with what each offset costs in each, and what neighbours cost each other.
class Grid {
 public:
  Grid(const std::vector<Image>& samples, const Hole& hole, const std::vector<PixelOffset>& offsets)
      : samples_(samples), hole_(hole), offsets_(offsets) {
    const Box& b = hole.box();
    const int w = b.x1 - b.x0, h = b.y1 - b.y0;
    cell_ = std::clamp(std::min(w, h) / kCellsAcross, kSmallestCell, kLargestCell);
    // One more on every side: what is known next to the hole.
    columns_ = (w + cell_ - 1) / cell_ + 2;
    rows_ = (h + cell_ - 1) / cell_ + 2;
    left_ = b.x0 - cell_ + (w - (columns_ - 2) * cell_) / 2;
    top_ = b.y0 - cell_ + (h - (rows_ - 2) * cell_) / 2;
    own_.resize(cells() * offsets.size());
    for (std::size_t c = 0; c < cells(); ++c)
      for (std::size_t k = 0; k < offsets.size(); ++k) own_[c * offsets.size() + k] = own(c, k);
    for (bool across : {true, false}) {
      auto& list = across ? right_ : below_;
      list.resize(cells() * offsets.size() * offsets.size());
      for (std::size_t c = 0; c < cells(); ++c)
        for (std::size_t a = 0; a < offsets.size(); ++a)
          for (std::size_t k = a + 1; k < offsets.size(); ++k)
            list[pair(c, a, k)] = list[pair(c, k, a)] = seam(c, across, a, k);
    }
  }

  std::size_t cells() const { return static_cast<std::size_t>(columns_ * rows_); }

  // Min-sum belief propagation over the grid: each cell tells its neighbours what it thinks of
  // theirs.
  std::vector<std::uint8_t> solve() const {
    constexpr int kRounds = 40;
    constexpr float kNew = 0.6f;
    const std::size_t n = offsets_.size();
    // What comes from the left, right, above and below.
    std::array<std::vector<float>, 4> from;
    for (auto& f : from) f.assign(cells() * n, 0.0f);
    std::vector<float> belief(n), message(n);
    auto believe = [&](std::size_t c, int but) {
      for (std::size_t k = 0; k < n; ++k) {
        belief[k] = own_[c * n + k];
        for (int d = 0; d < 4; ++d)
          if (d != but) belief[k] += from[static_cast<std::size_t>(d)][c * n + k];
      }
    };
    for (int round = 0; round < kRounds; ++round)
      for (int y = 0; y < rows_; ++y)
        for (int x = 0; x < columns_; ++x) {
          const std::size_t c = cell(x, y);
          for (int d = 0; d < 4; ++d) {  // to the right, left, below, above
            const int tx = x + (d == 0) - (d == 1), ty = y + (d == 2) - (d == 3);
            if (tx < 0 || ty < 0 || tx >= columns_ || ty >= rows_) continue;
            believe(c, d ^ 1);  // but what came from there
            const std::size_t to = cell(tx, ty), owner = d == 0 || d == 2 ? c : to;
            const auto& seams = d < 2 ? right_ : below_;
            for (std::size_t k = 0; k < n; ++k) {
              message[k] = std::numeric_limits<float>::max();
              for (std::size_t a = 0; a < n; ++a)
                message[k] = std::min(message[k], belief[a] + seams[pair(owner, a, k)]);
            }
            const float least = *std::ranges::min_element(message);
            auto& there = from[static_cast<std::size_t>(d)];
            for (std::size_t k = 0; k < n; ++k)
              there[to * n + k] += kNew * (message[k] - least - there[to * n + k]);
          }
        }
    std::vector<std::uint8_t> out(cells());
    for (std::size_t c = 0; c < cells(); ++c) {
      believe(c, -1);
      out[c] = static_cast<std::uint8_t>(std::ranges::min_element(belief) - belief.begin());
    }
    return out;
  }

  double energy(const std::vector<std::uint8_t>& which) const {
    double sum = 0;
    for (int y = 0; y < rows_; ++y)
      for (int x = 0; x < columns_; ++x) {
        const std::size_t c = cell(x, y);
        sum += own_[c * offsets_.size() + which[c]];
        if (x + 1 < columns_) sum += right_[pair(c, which[c], which[cell(x + 1, y)])];
        if (y + 1 < rows_) sum += below_[pair(c, which[c], which[cell(x, y + 1)])];
      }
    return sum;
  }

  Quilt quilt(std::vector<std::uint8_t> which) const {
    const double w = samples_[0].width, h = samples_[0].height;
    Quilt out;
    out.from = {left_ / w, top_ / h};
    out.cell = {cell_ / w, cell_ / h};
    out.columns = columns_, out.rows = rows_;
    for (const PixelOffset& o : offsets_) out.offsets.push_back({o.dx / w, o.dy / h});
    out.which = std::move(which);
    return out;
  }

 private:
  std::size_t cell(int x, int y) const { return static_cast<std::size_t>(y * columns_ + x); }
  std::size_t pair(std::size_t c, std::size_t a, std::size_t b) const {
    return (c * offsets_.size() + a) * offsets_.size() + b;
  }
  bool in_picture(int x, int y) const {
    return x >= 0 && y >= 0 && x < samples_[0].width && y < samples_[0].height;
  }
  bool can(int x, int y, const PixelOffset& o) const {
    return in_picture(x + o.dx, y + o.dy) && !hole_.has(x + o.dx, y + o.dy);
  }

  // How unlike what is known in a cell and round it is to what would cover it, per pixel; whether
  // that can cover it at all.
  float own(std::size_t c, std::size_t k) const {
    const PixelOffset& o = offsets_[k];
    const int x0 = left_ + static_cast<int>(c) % columns_ * cell_,
              y0 = top_ + static_cast<int>(c) / columns_ * cell_, pad = cell_ / 3;
    double sum = 0;
    int known = 0, holes = 0, impossible = 0;
    for (int y = y0 - pad; y < y0 + cell_ + pad; ++y)
      for (int x = x0 - pad; x < x0 + cell_ + pad; ++x) {
        if (!in_picture(x, y)) continue;
        const bool own_pixel = x >= x0 && y >= y0 && x < x0 + cell_ && y < y0 + cell_;
        if (hole_.has(x, y)) {
          holes += own_pixel;
          impossible += own_pixel && !can(x, y, o);
          continue;
        }
        if (!can(x, y, o)) {
          impossible += own_pixel;
          continue;
        }
        ++known;
        for (const Image& s : samples_)
          for (const Plane& p : s.planes) {
            const double d = p.at(x, y) - p.at(x + o.dx, y + o.dy);
            sum += d * d;
          }
      }
    if (impossible > 0 && holes > 0) return kImpossible;
    // Far from the hole nothing has to fit; the cell is there for the border to be compared.
    return known > 0 ? static_cast<float>(sum / (3.0 * static_cast<double>(samples_.size())) /
                                          (cell_ * cell_))
                     : 0.0f;
  }

  // How unlike two offsets are where a cell meets the next one.
  float seam(std::size_t c, bool across, std::size_t a, std::size_t b) const {
    const int x = static_cast<int>(c) % columns_, y = static_cast<int>(c) / columns_;
    if (across ? x + 1 >= columns_ : y + 1 >= rows_) return 0;
    const int reach = std::max(2, cell_ / 4);
    const int ex = left_ + (across ? (x + 1) * cell_ : x * cell_),
              ey = top_ + (across ? y * cell_ : (y + 1) * cell_);
    const int x0 = across ? ex - reach : ex, x1 = across ? ex + reach : ex + cell_,
              y0 = across ? ey : ey - reach, y1 = across ? ey + cell_ : ey + reach;
    const PixelOffset &p = offsets_[a], &q = offsets_[b];
    double sum = 0;
    for (int j = y0; j < y1; ++j)
      for (int i = x0; i < x1; ++i) {
        if (!in_picture(i, j)) continue;
        if (!in_picture(i + p.dx, j + p.dy) || !in_picture(i + q.dx, j + q.dy)) {
          sum += 0.1;
          continue;
        }
        for (const Image& s : samples_)
          for (const Plane& plane : s.planes) {
            const double d = plane.at(i + p.dx, j + p.dy) - plane.at(i + q.dx, j + q.dy);
            sum += d * d / (3.0 * static_cast<double>(samples_.size()));
          }
      }
    return static_cast<float>(sum / (cell_ * cell_)) + 1e-6f;
  }

  const std::vector<Image>& samples_;
  const Hole& hole_;
  const std::vector<PixelOffset>& offsets_;
  int cell_ = 1, columns_ = 0, rows_ = 0, left_ = 0, top_ = 0;
  std::vector<float> own_, right_, below_;
};

}  // namespace

Point offset_at(const Quilt& q, const Point& place) {
  auto cell = [](double at, double from, double size, int count) {
    return static_cast<std::size_t>(std::clamp((at - from) / size, 0.0, count - 1.0));
  };
  const auto column = cell(place.x, q.from.x, q.cell.x, q.columns),
             row = cell(place.y, q.from.y, q.cell.y, q.rows);
  return q.offsets[q.which[row * static_cast<std::size_t>(q.columns) + column]];
}

bool may_need_quilt(const std::vector<Point>& polygon, Size picture) {
  constexpr int kSmallestSide = 24;  // pixels
  const Box b = box_of(polygon, picture);
  return b.x1 - b.x0 >= kSmallestSide && b.y1 - b.y0 >= kSmallestSide;
}

QuiltChoice choose_quilt(const std::vector<Image>& samples, const std::vector<Point>& polygon,
                         const std::vector<PixelOffset>& offsets) {
  constexpr double kBetter = 0.7;  // of what the first alone costs
  QuiltChoice out;
  if (samples.empty() || offsets.size() < 2) return out;
  const Hole hole(polygon, samples[0].size());
  const Grid grid(samples, hole, offsets);
  const std::vector<std::uint8_t> alone(grid.cells(), 0);
  auto which = grid.solve();
  out.alone = grid.energy(alone);
  out.energy = grid.energy(which);
  if (out.energy < kBetter * out.alone && out.energy < kImpossible)
    out.quilt = grid.quilt(std::move(which));
  return out;
}

}  // namespace tsukimi
