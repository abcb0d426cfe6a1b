// SPDX-License-Identifier: GPL-3.0-or-later
#include "places/painting.h"

#include <xxhash.h>

#include <algorithm>
#include <cmath>
#include <mutex>

#include "base/parallel.h"
#include "image/fast_math.h"

namespace tsukimi {

using StrokeList = std::vector<std::shared_ptr<const Stroke>>;

struct Painting::Drawing {
  StrokeList strokes;
  std::weak_ptr<Drawing> before;  // the same without the last stroke

  // If it was drawn by that guide.
  std::shared_ptr<const Coverage> kept(const std::shared_ptr<const EdgeGuide>& by) {
    const std::lock_guard lock(mutex);
    return by == guide ? drawn : nullptr;
  }
  void keep(std::shared_ptr<const Coverage> now, std::shared_ptr<const EdgeGuide> by) {
    const std::lock_guard lock(mutex);
    drawn = std::move(now);
    guide = std::move(by);
  }

 private:
  std::mutex mutex;
  std::shared_ptr<const Coverage> drawn;
  std::shared_ptr<const EdgeGuide> guide;
};

namespace {

constexpr int kLeastWidth = 512, kMostWidth = 4096;

// Where a stroke fades: from `inner` to `outer`, in pixels of the coverage, never less than one.
struct Brush {
  float inner, outer, flow;
  Brush(const Stroke& s, int width)
      : outer(static_cast<float>(s.radius * width)), flow(static_cast<float>(s.flow / 100)) {
    inner = outer * static_cast<float>(1 - s.softness / 100);
    inner = std::min(inner, outer - 0.5f);
    outer = std::max(outer, inner + 1);
  }
};

// The smallest squared distance to the stroke's line, for a part of the coverage.
class DistanceField {
 public:
  DistanceField(int left, int top, int width, int height)
      : left_(left), top_(top), width_(width), height_(height) {
    data_.assign(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), 1e30f);
  }
  void segment(float ax, float ay, float bx, float by, float reach) {
    const float dx = bx - ax, dy = by - ay, length2 = dx * dx + dy * dy;
    const float per = length2 > 0 ? 1 / length2 : 0;
    const int y0 = std::max(top_, static_cast<int>(std::floor(std::min(ay, by) - reach))),
              y1 = std::min(top_ + height_,
                            static_cast<int>(std::ceil(std::max(ay, by) + reach)) + 1),
              x0 = std::max(left_, static_cast<int>(std::floor(std::min(ax, bx) - reach))),
              x1 = std::min(left_ + width_,
                            static_cast<int>(std::ceil(std::max(ax, bx) + reach)) + 1);
    for (int y = y0; y < y1; ++y) {
      float* row = data_.data() + static_cast<std::size_t>(y - top_) * width_ - left_;
      const float py = static_cast<float>(y) + 0.5f - ay;
      for (int x = x0; x < x1; ++x) {
        const float px = static_cast<float>(x) + 0.5f - ax;
        float t = (px * dx + py * dy) * per;
        t = t > 0 ? t : 0.0f;
        t = t < 1 ? t : 1.0f;
        const float ex = px - t * dx, ey = py - t * dy, d = ex * ex + ey * ey;
        row[x] = row[x] < d ? row[x] : d;
      }
    }
  }
  float* row(int y) { return data_.data() + static_cast<std::size_t>(y - top_) * width_; }

 private:
  int left_, top_, width_, height_;
  std::vector<float> data_;
};

void cover(std::uint16_t* mask, const float* distance2, int width, const Brush& brush, bool erase) {
  const float per = 1 / (brush.outer - brush.inner);
  for (int x = 0; x < width; ++x) {
    float t = (brush.outer - std::sqrt(distance2[x])) * per;
    t = t > 0 ? t : 0.0f;
    t = t < 1 ? t : 1.0f;
    const float a = smooth_step(t, brush.flow), m = static_cast<float>(mask[x]);
    const float out = erase ? m * (1 - a) : m + a * (65535.0f - m);
    mask[x] = static_cast<std::uint16_t>(out + 0.5f);
  }
}

// Edges of so many stops end a stroke, however large it is.
constexpr double kEdgeStops = 0.7;

// Rows y0 to before y1 of a stroke over what is there. edges: what lies between, or none.
void draw(Coverage& out, const Stroke& s, const EdgesBetween* edges, int y0, int y1) {
  if (s.points.empty()) return;
  const Brush brush(s, out.width);
  auto x_of = [&](const Point& p) { return static_cast<float>(p.x * out.width); };
  auto y_of = [&](const Point& p) { return static_cast<float>(p.y * out.height); };
  float left = 1e30f, right = -1e30f, top = 1e30f, bottom = -1e30f;
  for (const Point& p : s.points) {
    left = std::min(left, x_of(p)), right = std::max(right, x_of(p));
    top = std::min(top, y_of(p)), bottom = std::max(bottom, y_of(p));
  }
  const int a = std::max(0, static_cast<int>(left - brush.outer) - 1),
            b = std::min(out.width, static_cast<int>(right + brush.outer) + 2),
            c = std::max(y0, static_cast<int>(top - brush.outer) - 1),
            d = std::min(y1, static_cast<int>(bottom + brush.outer) + 2);
  if (a >= b || c >= d) return;
  DistanceField field(a, c, b - a, d - c);
  for (std::size_t i = 0; i + 1 < s.points.size() || i == 0; ++i) {
    const Point &p = s.points[i], &q = s.points[std::min(i + 1, s.points.size() - 1)];
    field.segment(x_of(p), y_of(p), x_of(q), y_of(q), brush.outer);
  }
  for (int y = c; y < d; ++y) {
    float* distance2 = field.row(y);
    if (edges) {  // an edge is as good as a way
      const auto per = static_cast<float>(brush.outer / kEdgeStops);
      for (int x = a; x < b; ++x) {
        if (distance2[x - a] >= brush.outer * brush.outer) continue;
        const float far = std::sqrt(distance2[x - a]) +
                          per * edges->at((x + 0.5) / out.width, (y + 0.5) / out.height);
        distance2[x - a] = far * far;
      }
    }
    cover(out.data.data() + static_cast<std::size_t>(y) * out.width + a, distance2, b - a, brush,
          s.erase);
  }
}

void draw(Coverage& out, const StrokeList& strokes, std::size_t from, const EdgeGuide* guide) {
  std::vector<std::shared_ptr<const EdgesBetween>> edges(strokes.size());
  if (guide)
    parallel_ranges(static_cast<int>(strokes.size() - from), 1, [&](int first, int last) {
      for (std::size_t i = from + static_cast<std::size_t>(first);
           i < from + static_cast<std::size_t>(last); ++i)
        if (strokes[i]->edges && !strokes[i]->points.empty())
          edges[i] = EdgesBetween::find(*guide, strokes[i]->points, strokes[i]->radius);
    });
  parallel_ranges(out.height, 32, [&](int y0, int y1) {
    for (std::size_t i = from; i < strokes.size(); ++i)
      draw(out, *strokes[i], edges[i].get(), y0, y1);
  });
}

void find_used(Coverage& c) {
  c.used.assign(static_cast<std::size_t>(c.height), {});
  for (int y = 0; y < c.height; ++y) {
    const std::uint16_t* row = c.row(y);
    int first = 0, last = c.width;
    while (first < last && row[first] == 0) ++first;
    while (last > first && row[last - 1] == 0) --last;
    c.used[static_cast<std::size_t>(y)] = {first, last};
  }
}

int width_for(const StrokeList& strokes, double pixels, const EdgeGuide* guide) {
  constexpr double kAcross = 8;  // pixels of the coverage over a fading edge
  double narrowest = 1;          // where a stroke fades, in widths of the frame
  for (const auto& s : strokes) {
    narrowest = std::min(narrowest, s->radius * std::max(s->softness / 100, 0.02));
    // An edge lies between two pixels of the guide.
    if (s->edges && guide) narrowest = std::min(narrowest, kAcross / 2 / guide->size().width);
  }
  const double wanted = std::min(pixels, kAcross / narrowest);
  int width = kLeastWidth;
  while (width < wanted && width < kMostWidth) width *= 2;
  return width;
}

std::shared_ptr<Coverage> empty_coverage(int width, double aspect) {
  auto out = std::make_shared<Coverage>();
  out->width = width;
  out->height = std::max(1, static_cast<int>(std::lround(width / aspect)));
  out->data.resize(static_cast<std::size_t>(width) * static_cast<std::size_t>(out->height));
  std::ranges::fill(out->data, std::uint16_t(0));
  return out;
}

bool fits(const std::shared_ptr<const Coverage>& c, int width, double aspect) {
  return c && c->width == width &&
         c->height == std::max(1, static_cast<int>(std::lround(width / aspect)));
}

}  // namespace

Painting::Painting(std::vector<Stroke> strokes) : drawing_(std::make_shared<Drawing>()) {
  for (Stroke& s : strokes)
    drawing_->strokes.push_back(std::make_shared<const Stroke>(std::move(s)));
}

Painting Painting::with(Stroke stroke) const {
  auto out = std::make_shared<Drawing>();
  out->strokes = drawing_->strokes;
  out->strokes.push_back(std::make_shared<const Stroke>(std::move(stroke)));
  out->before = drawing_;
  return Painting(std::move(out));
}

Painting Painting::moved_by(const Similarity& by, double aspect) const {
  if (by == Similarity{}) return *this;
  std::vector<Stroke> all = strokes();
  for (Stroke& s : all) {
    s.radius *= std::exp(by.log_scale);
    for (Point& p : s.points) {
      const Offset to = tsukimi::moved(by, {p.x - 0.5, (p.y - 0.5) / aspect});
      p = {to.x + 0.5, to.y * aspect + 0.5};
    }
  }
  return Painting(std::move(all));
}

std::vector<Stroke> Painting::strokes() const {
  std::vector<Stroke> out;
  for (const auto& s : drawing_->strokes) out.push_back(*s);
  return out;
}

std::size_t Painting::count() const { return drawing_->strokes.size(); }

bool Painting::follows_edges() const {
  return std::ranges::any_of(drawing_->strokes, [](const auto& s) { return s->edges; });
}

std::uint64_t Painting::sum() const {
  std::uint64_t out = 0;
  for (const auto& s : drawing_->strokes) {
    const double head[] = {s->radius, s->softness, s->flow,
                           (s->erase ? 1.0 : 0.0) + (s->edges ? 2.0 : 0.0)};
    out = XXH3_64bits_withSeed(head, sizeof head, out);
    out = XXH3_64bits_withSeed(s->points.data(), s->points.size() * sizeof(Point), out);
  }
  return out;
}

bool Painting::operator==(const Painting& other) const {
  if (drawing_ == other.drawing_) return true;
  return std::ranges::equal(drawing_->strokes, other.drawing_->strokes,
                            [](const auto& a, const auto& b) { return a == b || *a == *b; });
}

// Drawn without the lock, which is held for a moment only: two threads may draw the same, and get
// the same.
std::shared_ptr<const Coverage> Painting::coverage(
    double pixels, double aspect, const std::shared_ptr<const EdgeGuide>& guide) const {
  const int width = width_for(drawing_->strokes, pixels, guide.get());
  if (auto there = drawing_->kept(guide); fits(there, width, aspect)) return there;
  auto out = empty_coverage(width, aspect);
  std::size_t from = 0;
  if (const auto before = drawing_->before.lock()) {
    auto theirs = before->kept(guide);
    if (!fits(theirs, width, aspect)) {
      auto drawn = empty_coverage(width, aspect);
      draw(*drawn, before->strokes, 0, guide.get());
      find_used(*drawn);
      before->keep(theirs = std::move(drawn), guide);
    }
    out->data = theirs->data;
    from = before->strokes.size();
    // Undo may hold hundreds of paintings: only the latest are kept drawn.
    if (const auto long_ago = before->before.lock()) long_ago->keep({}, {});
  }
  draw(*out, drawing_->strokes, from, guide.get());
  find_used(*out);
  drawing_->keep(out, guide);
  return out;
}

}  // namespace tsukimi
