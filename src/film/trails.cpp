// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/trails.h"

#include <zstd.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/cache.h"
#include "base/parallel.h"
#include "film/fade.h"
#include "film/keep_out.h"
#include "framing/geometry.h"
#include "framing/warp.h"
#include "places/mask.h"

namespace tsukimi {
namespace {

// Where a frame keeps the light of others, 0..1, and the rows in which that is.
struct SkyMask {
  Plane share;
  Span rows;
};

SkyMask mask_of(const FilmRecipe& recipe, Size size) {
  SkyMask out{Plane(size.width, size.height), {0, size.height}};
  const Mask mask(*recipe.trail->sky, recipe.first().placement, size,
                  recipe.first().source.info.size);
  std::vector<char> some(static_cast<std::size_t>(size.height));
  parallel_rows(size.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float* row = out.share.row(y);
      mask.row(y, {}, row);
      some[static_cast<std::size_t>(y)] =
          std::any_of(row, row + size.width, [](float v) { return v > 0; });
    }
  });
  while (out.rows.first < out.rows.last && !some[static_cast<std::size_t>(out.rows.first)])
    ++out.rows.first;
  while (out.rows.last > out.rows.first && !some[static_cast<std::size_t>(out.rows.last) - 1])
    --out.rows.last;
  return out;
}

// Every value of some rows of a picture from its own and that of another, whose first row lies at
// the first of them. fn(own, other)
template <typename Fn>
void each_value(Image& out, const Image& other, Span rows, const Fn& fn) {
  parallel_rows(rows.count(), [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        float* to = out.planes[c].row(rows.first + y);
        const float* from = other.planes[c].row(y);
        for (int x = 0; x < out.width; ++x) to[x] = fn(to[x], from[x]);
      }
  });
}
template <typename Fn>
void each_value(Image& out, const Image& other, const Fn& fn) {
  each_value(out, other, {0, out.height}, fn);
}

void darken(Image& image, float share) {
  if (share == 1) return;
  parallel_rows(image.height, [&](int y0, int y1) {
    for (auto& plane : image.planes)
      for (int y = y0; y < y1; ++y) {
        float* row = plane.row(y);
        for (int x = 0; x < image.width; ++x) row[x] *= share;
      }
  });
}

Image rows_of(const Image& image, Span rows) {
  Image out(image.width, rows.count());
  for (std::size_t c = 0; c < 3; ++c)
    std::copy_n(image.planes[c].row(rows.first), out.planes[c].data.size(),
                out.planes[c].data.begin());
  return out;
}

// Some rows of a picture as they would be with the sky turned back by so much: each place shows
// what was there. The picture's own first row is one of the film's, too.
Image turned_back(const Image& picture, Span rows, Size film, const Placement& lies,
                  const SkyStep& step, double radians) {
  constexpr int kCell = 40, kLeast = 17;  // cells in pixels; nodes along a side
  const SkyTurn turn{step.lens, rotation_about(step.pole, radians)};
  const Size result{film.width, rows.count()};
  WarpMesh mesh;
  mesh.columns = std::max(kLeast, result.width / kCell + 1);
  mesh.rows = std::max(kLeast, result.height / kCell + 1);
  for (int row = 0; row < mesh.rows; ++row)
    for (int column = 0; column < mesh.columns; ++column) {
      const double x = (result.width - 1.0) * column / (mesh.columns - 1),
                   y = rows.first + (result.height - 1.0) * row / (mesh.rows - 1);
      const Point from =
          lies.back(turn.at(lies.at((x + 0.5) / film.width, (y + 0.5) / film.height)));
      WarpMesh::Node node{};
      for (int c = 0; c < 3; ++c) {
        node.x[c] = static_cast<float>(from.x * film.width - 0.5);
        node.y[c] = static_cast<float>(from.y * film.height - 0.5 - rows.first);
      }
      node.gain = 1;
      mesh.nodes.push_back(node);
    }
  return warp(picture, Warp(picture.size(), result, std::move(mesh), {}), result);
}

// How far the sky turns in pixels of the picture, where it turns most.
double way_in_pixels(Size film, const Placement& lies, const SkyStep& step) {
  const SkyTurn turn{step.lens, rotation_about(step.pole, step.angle)};
  double most = 0;
  for (double v : {0.0, 0.5, 1.0})
    for (double u : {0.0, 0.5, 1.0}) {
      const Point to = lies.back(turn.at(lies.at(u, v)));
      most = std::max(most, std::hypot((to.x - u) * film.width, (to.y - v) * film.height));
    }
  return most;
}

// What is left of the light on its way from the frame before to this one: pictures of it turned
// back, no star farther than kApart from the next, each as faded as it is old. Every turn takes all
// that is there already with it, so few are enough.
Image on_its_way(const Image& picture, Span rows, const FilmRecipe& recipe) {
  constexpr double kApart = 0.5;  // px
  constexpr int kMost = 64;
  const TrailAt& trail = *recipe.trail;
  const Placement& lies = recipe.first().placement;
  const Size film = picture.size();
  const double way = way_in_pixels(film, lies, *trail.step);
  const int steps = std::clamp(static_cast<int>(std::ceil(way / kApart)), 1, kMost);
  Image out = rows_of(picture, rows);
  for (int there = 1; there < steps;) {
    const int more = std::min(there, steps - there);
    const double part = static_cast<double>(more) / steps;
    const Image back = turned_back(out, rows, film, lies, *trail.step, part * trail.step->angle);
    const auto share = static_cast<float>(std::pow(trail.keeps, part));
    each_value(out, back, [share](float own, float other) { return std::max(own, share * other); });
    there += more;
  }
  return out;
}

// Outside of the sky there is the ground.
void lay_into_sky(Image& shown, const Image& ground, const SkyMask& sky) {
  parallel_rows(shown.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        float* to = shown.planes[c].row(y);
        const float *land = ground.planes[c].row(y), *share = sky.share.row(y);
        for (int x = 0; x < shown.width; ++x) to[x] = land[x] + share[x] * (to[x] - land[x]);
      }
  });
}

constexpr char kMagic[8] = {'T', 'K', 'T', 'R', 'A', 'I', 'L', '1'};

}  // namespace

FilmRecipe unfaded(FilmRecipe recipe) {
  recipe.fade = 0;
  return recipe;
}

Image finished(Image picture, const FilmRecipe& recipe) {
  fade(picture, recipe.fade);
  return picture;
}

// rows: of the sky; streaks are looked for in them alone.
void TrailState::keep_out(Image& picture, Span rows, const FilmRecipe& recipe) {
  const TrailAt& trail = *recipe.trail;
  Image now = rows_of(picture, rows);
  const bool same = before_.width == picture.width && before_.height == rows.count();
  if (trail.step && same) {
    const Size film = picture.size();
    const auto turned = [&](const Image& image, double by) {
      return turned_back(image, rows, film, recipe.first().placement, *trail.step, by);
    };
    // The first frame had none before it: now it is seen what was in it alone.
    if (seen_ == 1 && light_.size() == film)
      take_out_streaks(light_, rows, turned(now, trail.step->angle));
    take_out_streaks(picture, rows, turned(before_, -trail.step->angle));
  }
  before_ = std::move(now);
}

Image TrailState::show(Image picture, const FilmRecipe& recipe) {
  const TrailAt& trail = *recipe.trail;
  const bool first = light_.width == 0 || trail.keeps <= 0;  // nothing of what was is left
  std::optional<SkyMask> sky;
  if (trail.sky) sky = mask_of(recipe, picture.size());
  const Span rows = sky ? sky->rows : Span{0, picture.height};
  Image own = sky && trail.ground == TrailGround::each ? picture : Image();
  if (trail.ground == TrailGround::mean) add_to_ground(picture, trail.ground_mean);
  if (trail.keep_out && rows.count() > 0) keep_out(picture, rows, recipe);
  if (!first) darken(light_, static_cast<float>(trail.keeps));
  // What is left by those before, and on the way from the last of them.
  if (!first && trail.close_gaps && trail.adds && trail.step && rows.count() > 0)
    each_value(light_, on_its_way(picture, rows, recipe), rows,
               [](float left, float way) { return std::max(left, way); });
  ++seen_;
  Image shown = std::move(picture);
  if (first) {
    light_ = shown;
    if (!trail.adds) darken(light_, 0);
  } else if (trail.adds) {
    each_value(light_, shown, [](float left, float now) { return std::max(left, now); });
    shown = light_;
  } else {
    each_value(shown, light_, [](float now, float left) { return std::max(now, left); });
  }
  const Image& ground = trail.ground == TrailGround::each ? own : ground_;
  if (sky && ground.size() == shown.size()) lay_into_sky(shown, ground, *sky);
  return shown;
}

void TrailState::add_to_ground(const Image& picture, int mean_of) {
  if (ground_.width == 0) {
    ground_ = picture;
    return;
  }
  const float share = 1.0f / static_cast<float>(std::min(seen_ + 1, mean_of));
  each_value(ground_, picture,
             [share](float mean, float now) { return mean + share * (now - mean); });
}

Image TrailState::show_over(Image picture, const FilmRecipe& recipe) const {
  const auto sized = [&](const Image& image) {
    return image.size() == picture.size() ? image : resample(image, {}, picture.size());
  };
  if (light_.width == 0 || recipe.trail->keeps <= 0) return picture;
  const bool own = recipe.trail->ground == TrailGround::each || ground_.width == 0;
  const Image ground = own ? picture : sized(ground_);
  const auto keeps = static_cast<float>(recipe.trail->keeps);
  each_value(picture, sized(light_),
             [keeps](float now, float left) { return std::max(now, keeps * left); });
  if (recipe.trail->sky) lay_into_sky(picture, ground, mask_of(recipe, picture.size()));
  return picture;
}

void TrailState::miss(const FilmRecipe& recipe) {
  if (light_.width > 0) darken(light_, static_cast<float>(recipe.trail->keeps));
  before_ = Image();
  ++seen_;
}

std::vector<std::uint8_t> TrailState::bytes() const {
  std::vector<std::uint8_t> out(kMagic, kMagic + sizeof kMagic);
  auto put = [&](const void* data, std::size_t size) {
    const auto* from = static_cast<const std::uint8_t*>(data);
    out.insert(out.end(), from, from + size);
  };
  const std::int32_t seen = seen_;
  put(&seen, sizeof seen);
  for (const Image* image : {&light_, &before_, &ground_}) {
    const std::int32_t size[2] = {image->width, image->height};
    put(size, sizeof size);
    for (const Plane& plane : image->planes) {
      const std::size_t plain = plane.data.size() * sizeof(float);
      std::vector<std::uint8_t> packed(ZSTD_compressBound(plain));
      const std::uint64_t length =
          ZSTD_compress(packed.data(), packed.size(), plane.data.data(), plain, 1);
      put(&length, sizeof length);
      put(packed.data(), length);
    }
  }
  return out;
}

Result<TrailState> TrailState::from_bytes(std::span<const std::uint8_t> bytes) {
  const auto bad = [] { return fail("A trail's checkpoint is damaged."); };
  std::size_t at = 0;
  auto take = [&](void* to, std::size_t size) {
    if (bytes.size() - at < size) return false;
    std::memcpy(to, bytes.data() + at, size);
    at += size;
    return true;
  };
  char magic[sizeof kMagic];
  TrailState out;
  std::int32_t seen = 0;
  if (!take(magic, sizeof magic) || std::memcmp(magic, kMagic, sizeof magic) != 0 ||
      !take(&seen, sizeof seen))
    return bad();
  out.seen_ = seen;
  constexpr std::int32_t kMost = 100000;
  for (Image* image : {&out.light_, &out.before_, &out.ground_}) {
    std::int32_t size[2];
    if (!take(size, sizeof size) || size[0] < 0 || size[1] < 0 || size[0] > kMost ||
        size[1] > kMost)
      return bad();
    if (size[0] > 0) *image = Image(size[0], size[1]);
    for (Plane& plane : image->planes) {
      std::uint64_t length = 0;
      if (!take(&length, sizeof length) || bytes.size() - at < length) return bad();
      const std::size_t plain = plane.data.size() * sizeof(float);
      if (ZSTD_decompress(plane.data.data(), plain, bytes.data() + at, length) != plain)
        return bad();
      at += length;
    }
  }
  return out;
}

}  // namespace tsukimi
