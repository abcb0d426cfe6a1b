// SPDX-License-Identifier: GPL-3.0-or-later
#include "places/mask.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "places/mask.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "image/fast_math.h"

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

HWY_ATTR inline float smooth(float t) {
  t = t > 0 ? t : 0.0f;
  t = t < 1 ? t : 1.0f;
  return smooth_step(t);
}

// t: 0 at the line from which on it does nothing, 1 at the one where it is whole.
void graduated_row(float t, float step, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] = smooth(t + static_cast<float>(x) * step);
}

// u, v: of the place along the ellipse's axes, in its radii.
void ellipse_row(float u, float v, float du, float dv, float inner, int width,
                 float* __restrict out) {
  const float per = 1 / (1 - inner);
  for (int x = 0; x < width; ++x) {
    const float a = u + static_cast<float>(x) * du, b = v + static_cast<float>(x) * dv;
    out[x] = smooth((1 - std::sqrt(a * a + b * b)) * per);
  }
}

void combine_row(float* __restrict mask, const float* __restrict shape, int width, float add,
                 float keep, float cut) {
  // add: m + s - m s; take: m - m s; cut: m s.
  for (int x = 0; x < width; ++x) {
    const float m = mask[x], s = shape[x], both = m * s;
    mask[x] = keep * m + add * s + cut * both;
  }
}

void tones_row(float* __restrict mask, const float* __restrict tone, int width, float low,
               float high, float per) {
  for (int x = 0; x < width; ++x)
    mask[x] *= smooth((tone[x] - low) * per) * smooth((high - tone[x]) * per);
}

// ca, sa: direction of the middle of the range; near, far: cosines of half of it, with half of the
// fading taken off and added. It fades along the arc: along the cosine one end would be steeper.
void hues_row(float* __restrict mask, const float* __restrict a, const float* __restrict b,
              int width, float ca, float sa, float half, float soft) {
  for (int x = 0; x < width; ++x) {
    const float chroma = std::sqrt(a[x] * a[x] + b[x] * b[x]);
    const float per = 1 / (chroma + 1e-9f);
    float c = (a[x] * ca + b[x] * sa) * per;
    c = c < 1 ? c : 1.0f;
    c = c > -1 ? c : -1.0f;
    // Angle from the middle, 0..1 of half a turn (Abramowitz & Stegun 4.4.45, error 7e-5 rad).
    const float m = c < 0 ? -c : c;
    float angle = std::sqrt(1 - m) *
                  (1.5707288f + m * (-0.2121144f + m * (0.0742610f - 0.0187293f * m))) *
                  0.31830989f;
    angle = c < 0 ? 1 - angle : angle;
    const float coloured = smooth((chroma - 0.008f) * 60);  // grey has no hue
    mask[x] *= coloured * smooth((half + 0.5f * soft - angle) / soft);
  }
}

void invert_row(float* __restrict mask, int width) {
  for (int x = 0; x < width; ++x) mask[x] = 1 - mask[x];
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(graduated_row);
HWY_EXPORT(ellipse_row);
HWY_EXPORT(combine_row);
HWY_EXPORT(tones_row);
HWY_EXPORT(hues_row);
HWY_EXPORT(invert_row);

namespace {

// Bilinear samples of a coverage along a line, added up; the border is repeated outside.
class CoverageLine {
 public:
  // x, y: of the first sample, in pixels of the coverage from the middle of its first; then by
  // steps.
  CoverageLine(double x, double y, double step_x, double step_y)
      : x_(x), y_(y), step_x_(step_x), step_y_(step_y) {}

  void add(const Coverage& c, float share, int width, float* out) const {
    if (step_y_ != 0) return add_slanted(c, share, width, out);
    // One line of the coverage: mixed from two rows once, and only where something is painted.
    const float y = std::clamp(static_cast<float>(y_), 0.0f, static_cast<float>(c.height - 1));
    const int upper = std::min(static_cast<int>(y), std::max(0, c.height - 2)),
              lower = std::min(upper + 1, c.height - 1);
    const auto &a = c.used[static_cast<std::size_t>(upper)],
               &b = c.used[static_cast<std::size_t>(lower)];
    const bool none_a = a.first >= a.last, none_b = b.first >= b.last;
    if (none_a && none_b) return;
    const int first = std::max(0, (none_a   ? b.first
                                   : none_b ? a.first
                                            : std::min(a.first, b.first)) -
                                      1),
              last = std::min(c.width - 1, std::max(a.last, b.last));
    thread_local std::vector<float> line;
    line.resize(static_cast<std::size_t>(c.width) + 2);
    const float part = y - static_cast<float>(upper), scale = share / 65535.0f;
    const std::uint16_t *p = c.row(upper), *q = c.row(lower);
    for (int x = first; x <= last; ++x)
      line[static_cast<std::size_t>(x)] =
          scale * ((1 - part) * static_cast<float>(p[x]) + part * static_cast<float>(q[x]));
    // What lies before it or behind it is 0, unless it reaches the border.
    line[static_cast<std::size_t>(last) + 1] =
        last == c.width - 1 ? line[static_cast<std::size_t>(last)] : 0.0f;
    if (first > 0) line[static_cast<std::size_t>(first) - 1] = 0;
    auto sample_at = [&](double column) { return std::clamp((column - x_) / step_x_, 0.0, 1e9); };
    const int begin =
                  first == 0 ? 0 : std::min(static_cast<int>(std::ceil(sample_at(first))), width),
              end = last == c.width - 1 ? width
                                        : std::min(static_cast<int>(sample_at(last)) + 1, width);
    const float most = static_cast<float>(c.width - 1);
    const auto x0 = static_cast<float>(x_), step = static_cast<float>(step_x_);
    for (int i = begin; i < end; ++i) {
      float x = x0 + static_cast<float>(i) * step;
      x = x > 0 ? x : 0.0f;
      x = x < most ? x : most;
      const int at = static_cast<int>(x);
      const float* v = line.data() + at;
      out[i] += v[0] + (x - static_cast<float>(at)) * (v[1] - v[0]);
    }
  }

 private:
  void add_slanted(const Coverage& c, float share, int width, float* out) const {
    const auto most_x = static_cast<float>(c.width - 1), most_y = static_cast<float>(c.height - 1);
    const int right = c.width > 1 ? 1 : 0;
    for (int i = 0; i < width; ++i) {
      const float x = std::clamp(static_cast<float>(x_ + i * step_x_), 0.0f, most_x),
                  y = std::clamp(static_cast<float>(y_ + i * step_y_), 0.0f, most_y);
      const int x0 = std::min(static_cast<int>(x), std::max(0, c.width - 2)),
                y0 = std::min(static_cast<int>(y), std::max(0, c.height - 2));
      const float fx = x - static_cast<float>(x0), fy = y - static_cast<float>(y0);
      const std::uint16_t *p = c.row(y0) + x0, *q = c.row(std::min(y0 + 1, c.height - 1)) + x0;
      const float upper = static_cast<float>(p[0]) + fx * static_cast<float>(p[right] - p[0]),
                  lower = static_cast<float>(q[0]) + fx * static_cast<float>(q[right] - q[0]);
      out[i] += share * (upper + fy * (lower - upper)) * (1 / 65535.0f);
    }
  }

  double x_, y_, step_x_, step_y_;
};

constexpr double kLeastSoft = 0.5;  // of a limit: it never ends within nothing

}  // namespace

Mask::Mask(const PlaceAt& place, const Placement& placement, Size picture, Size frame)
    : place_(place),
      placement_(placement),
      picture_(picture),
      aspect_(static_cast<double>(frame.width) / frame.height) {
  const double high = 1 / aspect_;
  view_.across_x = placement.right.x / picture.width;
  view_.across_y = placement.right.y / picture.width * high;
  view_.down_x = placement.down.x / picture.height;
  view_.down_y = placement.down.y / picture.height * high;
  view_.corner_x = placement.corner.x + 0.5 * (view_.across_x + view_.down_x);
  view_.corner_y = placement.corner.y * high + 0.5 * (view_.across_y + view_.down_y);
  const double pixel =
      std::hypot(view_.across_x, view_.across_y);  // of the picture, in widths of the frame
  for (const ShapeAt& s : place.shapes) {
    Drawn d{s.kind, s.how, {}, {}, {}, static_cast<float>(s.dissolved), s.from_key, s.from_next};
    const Values& v = s.values;
    if (s.kind == ShapeKind::graduated) {
      // Along the normal: 1 at `from`, 0 at `to`. Two lines on each other are a step of a pixel.
      double nx = v[Param::from_x] - v[Param::to_x],
             ny = (v[Param::from_y] - v[Param::to_y]) * high;
      const double length = std::hypot(nx, ny);
      if (length < pixel) {
        nx = length > 0 ? nx / length * pixel : 0;
        ny = length > 0 ? ny / length * pixel : -pixel;
      }
      const double per = 1 / (nx * nx + ny * ny);
      d.numbers[0] = static_cast<float>(v[Param::to_x]);
      d.numbers[1] = static_cast<float>(v[Param::to_y] * high);
      d.numbers[2] = static_cast<float>(nx * per);
      d.numbers[3] = static_cast<float>(ny * per);
    } else if (s.kind == ShapeKind::ellipse) {
      const double turn = v[Param::ellipse_angle] * std::numbers::pi / 180;
      const double rx = std::max(v[Param::radius_x], pixel),
                   ry = std::max(v[Param::radius_y], pixel);
      d.numbers[0] = static_cast<float>(v[Param::centre_x]);
      d.numbers[1] = static_cast<float>(v[Param::centre_y] * high);
      d.numbers[2] = static_cast<float>(std::cos(turn) / rx);
      d.numbers[3] = static_cast<float>(std::sin(turn) / rx);
      d.numbers[4] = static_cast<float>(-std::sin(turn) / ry);
      d.numbers[5] = static_cast<float>(std::cos(turn) / ry);
      const double inner = 1 - v[Param::ellipse_feather] / 100;
      d.numbers[6] =
          static_cast<float>(std::min(inner, 1 - std::min(1.0, pixel / std::min(rx, ry))));
    } else {
      d.coverage = s.painting.coverage(1 / pixel, aspect_, s.guide.guide);
      if (s.dissolved > 0) d.next = s.next.coverage(1 / pixel, aspect_, s.next_guide.guide);
    }
    shapes_.push_back(std::move(d));
  }
}

Mask::View Mask::along(int y, int from, int to) const {
  View out;
  if (!placement_.sky) {
    out = view_;
    out.corner_x += y * view_.down_x + from * view_.across_x;
    out.corner_y += y * view_.down_y + from * view_.across_y;
    return out;
  }
  // From the middle of its first pixel to that of the one behind its last.
  auto at = [&](int x) {
    const Point p = placement_.at((x + 0.5) / picture_.width, (y + 0.5) / picture_.height);
    return Point{p.x, p.y / aspect_};
  };
  const Point a = at(from), b = at(to);
  const int steps = to - from;
  return {a.x, a.y, (b.x - a.x) / steps, (b.y - a.y) / steps, 0, 0};
}

Mask::View Mask::moved_back(const View& view, const Similarity& by) const {
  if (by == Similarity{}) return view;
  const Similarity back = inverse(by);
  const Offset middle{0.5, 0.5 / aspect_};
  auto at = [&](double x, double y) {
    const Offset to = moved(back, {x - middle.x, y - middle.y});
    return Offset{to.x + middle.x, to.y + middle.y};
  };
  const Offset corner = at(view.corner_x, view.corner_y),
               across = at(view.corner_x + view.across_x, view.corner_y + view.across_y),
               down = at(view.corner_x + view.down_x, view.corner_y + view.down_y);
  return {corner.x,          corner.y,         across.x - corner.x, across.y - corner.y,
          down.x - corner.x, down.y - corner.y};
}

// A shape along a part of a row.
void Mask::draw(const Drawn& d, const View& at, int width, float* shape) const {
  const float* n = d.numbers;
  const double px = at.corner_x - n[0], py = at.corner_y - n[1];
  if (d.kind == ShapeKind::graduated) {
    HWY_DYNAMIC_DISPATCH(graduated_row)
    (static_cast<float>(px * n[2] + py * n[3]),
     static_cast<float>(at.across_x * n[2] + at.across_y * n[3]), width, shape);
  } else if (d.kind == ShapeKind::ellipse) {
    HWY_DYNAMIC_DISPATCH(ellipse_row)
    (static_cast<float>(px * n[2] + py * n[3]), static_cast<float>(px * n[4] + py * n[5]),
     static_cast<float>(at.across_x * n[2] + at.across_y * n[3]),
     static_cast<float>(at.across_x * n[4] + at.across_y * n[5]), n[6], width, shape);
  } else {
    std::fill_n(shape, width, 0.0f);
    auto add = [&](const Coverage& c, float share, const View& v) {
      const double per = c.width;  // the frame's width is that of the coverage
      CoverageLine(v.corner_x * per - 0.5, v.corner_y * aspect_ * c.height - 0.5, v.across_x * per,
                   v.across_y * aspect_ * c.height)
          .add(c, share, width, shape);
    };
    add(*d.coverage, d.next ? 1 - d.dissolved : 1.0f, moved_back(at, d.from));
    if (d.next) add(*d.next, d.dissolved, moved_back(at, d.next_from));
  }
}

void Mask::row(int y, const RowLight& light, float* out) const {
  // Where the stars are held a row is bent: of short pieces each is straight.
  constexpr int kPiece = 48;
  const int width = picture_.width, piece = placement_.sky ? kPiece : width;
  const bool empty = !shapes_.empty() && shapes_.front().how == Combine::add;
  std::fill_n(out, width, empty ? 0.0f : 1.0f);
  thread_local std::vector<float> scratch;
  scratch.resize(static_cast<std::size_t>(width));
  float* shape = scratch.data();
  for (const Drawn& d : shapes_) {
    for (int x = 0; x < width; x += piece) {
      const int to = std::min(x + piece, width);
      draw(d, along(y, x, to), to - x, shape + x);
    }
    const float add = d.how == Combine::add ? 1.0f : 0.0f,
                keep = d.how == Combine::cut ? 0.0f : 1.0f,
                cut = d.how == Combine::cut ? 1.0f : -1.0f;
    HWY_DYNAMIC_DISPATCH(combine_row)(out, shape, width, add, keep, cut);
  }
  if (place_.limits_tones() && light.tone) {
    const Limit& t = place_.tones;
    const double soft = std::max(t.soft, kLeastSoft);
    // An end of the scale is no end of the range.
    const double low = t.from > 0 ? t.from - soft / 2 : -1e6,
                 high = t.to < 100 ? t.to + soft / 2 : 1e6;
    HWY_DYNAMIC_DISPATCH(tones_row)
    (out, light.tone, width, static_cast<float>(low), static_cast<float>(high),
     static_cast<float>(1 / soft));
  }
  if (place_.limits_hues() && light.hue_a) {
    const Limit& h = place_.hues;
    const double middle = (h.from + h.to) / 2 * std::numbers::pi / 180;
    HWY_DYNAMIC_DISPATCH(hues_row)
    (out, light.hue_a, light.hue_b, width, static_cast<float>(std::cos(middle)),
     static_cast<float>(std::sin(middle)), static_cast<float>((h.to - h.from) / 360),
     static_cast<float>(std::max(h.soft, kLeastSoft) / 180));
  }
  if (place_.invert) HWY_DYNAMIC_DISPATCH(invert_row)(out, width);
}

}  // namespace tsukimi
#endif
