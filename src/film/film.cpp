#include "film/film.h"

#include <algorithm>

#include "motion/optical_flow.h"

namespace tsukimi {
namespace {

constexpr int kFillAtMost = 3;  // in a row; more than that would be invented, not filled

bool in_film(const Shoot& shoot, int frame) {
  const auto& d = shoot.decisions;
  return frame >= d.in && (d.out < 0 || frame <= d.out);
}

// A frame whose file is away for now keeps its place: numbers must not close up behind it.
bool holds_place(const Shoot& shoot, int frame) {
  return is_kept(shoot, frame) || (shoot.sequence.frames[frame].away && in_film(shoot, frame) &&
                                   !is_set_aside(shoot.decisions, frame));
}

// Up to which frame the run of frames that are not kept goes on from `first`.
int end_of_run(const Shoot& shoot, int first) {
  int end = first;
  while (end < shoot.frame_count() && in_film(shoot, end) && !holds_place(shoot, end)) ++end;
  return end;
}

bool filled(const Decisions& d, int in_a_row) {
  return d.aside == AsidePolicy::fill ||
         (d.aside == AsidePolicy::automatic && in_a_row <= kFillAtMost);
}

int nearest_kept(const Shoot& shoot, int frame) {
  for (int by = 0; by < shoot.frame_count(); ++by)
    for (int f : {frame - by, frame + by})
      if (f >= 0 && f < shoot.frame_count() && is_kept(shoot, f)) return f;
  return frame;
}

}  // namespace

bool is_set_aside(const Decisions& d, int frame) {
  return std::binary_search(d.set_aside.begin(), d.set_aside.end(), frame);
}

void set_aside(Decisions& d, const std::vector<int>& frames, bool aside) {
  for (int f : frames) {
    const auto at = std::lower_bound(d.set_aside.begin(), d.set_aside.end(), f);
    const bool there = at != d.set_aside.end() && *at == f;
    if (aside && !there) d.set_aside.insert(at, f);
    if (!aside && there) d.set_aside.erase(at);
  }
}

bool is_kept(const Shoot& shoot, int frame) {
  return shoot.sequence.frames[frame].usable() && in_film(shoot, frame) &&
         !is_set_aside(shoot.decisions, frame);
}

std::vector<FilmFrame> film_frames(const Shoot& shoot) {
  std::vector<FilmFrame> out;
  int before = -1;
  for (int i = std::max(0, shoot.decisions.in); i < shoot.frame_count() && in_film(shoot, i);) {
    if (holds_place(shoot, i)) {
      out.push_back({i, -1, -1});
      before = i++;
      continue;
    }
    const int end = end_of_run(shoot, i);
    const bool between = before >= 0 && end < shoot.frame_count() && in_film(shoot, end) &&
                         is_kept(shoot, before) && is_kept(shoot, end);
    if (between && filled(shoot.decisions, end - i))
      for (int k = i; k < end; ++k)
        if (is_set_aside(shoot.decisions, k)) out.push_back({k, before, end});
    i = end;
  }
  return out;
}

std::optional<FilmFrame> film_frame_at(const Shoot& shoot, int frame) {
  if (holds_place(shoot, frame)) return FilmFrame{frame, -1, -1};
  if (!in_film(shoot, frame) || !is_set_aside(shoot.decisions, frame)) return {};
  int first = frame;
  while (first > 0 && in_film(shoot, first - 1) && !holds_place(shoot, first - 1)) --first;
  const int before = first - 1, end = end_of_run(shoot, frame);
  const bool between = before >= 0 && in_film(shoot, before) && end < shoot.frame_count() &&
                       in_film(shoot, end) && is_kept(shoot, before) && is_kept(shoot, end);
  if (!between || !filled(shoot.decisions, end - first)) return {};
  return FilmFrame{frame, before, end};
}

FilmRecipe film_recipe(const Shoot& shoot, const LookCourse& course, const LightPlan& plan,
                       const FilmFrame& film, Size size) {
  FilmRecipe r = film_recipe_without_lenses(shoot, course, plan, film, size);
  find_lenses(r, shoot);
  return r;
}

void find_lenses(FilmRecipe& r, const Shoot& shoot) {
  if (r.settings.look[Param::lens_profile] <= 0) return;
  const auto& frames = shoot.sequence.frames;
  r.settings.lens = shoot.lenses->find(frames[r.film.made() ? r.film.before : r.film.frame]);
  if (r.film.made()) r.second.lens = shoot.lenses->find(frames[r.film.after]);
}

FilmRecipe film_recipe_without_lenses(const Shoot& shoot, const LookCourse& course,
                                      const LightPlan& plan, const FilmFrame& film, Size size) {
  FilmRecipe r;
  r.film = film;
  const int first = film.made() ? film.before : nearest_kept(shoot, film.frame);
  r.settings = frame_settings(shoot, course, plan.correction(first), film.frame, size);
  if (!film.made()) return r;
  // The pictures are the neighbours', and so are their noise and their lens.
  const auto& frames = shoot.sequence.frames;
  r.second = r.settings;
  r.settings.iso = iso_of(frames[film.before]);
  r.second.iso = iso_of(frames[film.after]);
  r.second.correction = plan.correction(film.after);
  const double a = course.place(film.before), b = course.place(film.after);
  r.between = b > a ? std::clamp((course.place(film.frame) - a) / (b - a), 0.0, 1.0) : 0.5;
  return r;
}

Result<FilmSource> read_film_frame(const Shoot& shoot, const FilmRecipe& recipe) {
  auto read = [&](int frame) {
    return read_frame(shoot.sequence.folder / shoot.sequence.frames[frame].file);
  };
  FilmSource out;
  const FilmFrame& film = recipe.film;
  auto first = read(film.made() ? film.before : film.frame);
  if (!first) return tl::unexpected(first.error());
  out.first = std::move(*first);
  if (!film.made()) return out;
  auto second = read(film.after);
  if (!second) return tl::unexpected(second.error());
  out.second = std::move(*second);
  return out;
}

Image develop_film_frame(FilmSource source, const FilmRecipe& recipe) {
  Image first = develop_frame(std::move(source.first), recipe.settings);
  if (!recipe.film.made()) return first;
  return in_between(first, develop_frame(std::move(source.second), recipe.second), recipe.between);
}

Result<Image> develop_film_frame(const Shoot& shoot, const FilmRecipe& recipe) {
  auto source = read_film_frame(shoot, recipe);
  if (!source) return tl::unexpected(source.error());
  return develop_film_frame(std::move(*source), recipe);
}

Result<Image> develop_film_proxy(const Shoot& shoot, ProxyStore& store, const FilmRecipe& recipe) {
  auto develop = [&](int frame, const FrameSettings& settings) -> Result<Image> {
    const auto proxy = store.get(shoot.sequence.frames[frame]);
    if (!proxy) return tl::unexpected(proxy.error());
    return develop_proxy(**proxy, settings);
  };
  const FilmFrame& film = recipe.film;
  auto first = develop(film.made() ? film.before : film.frame, recipe.settings);
  if (!first || !film.made()) return first;
  const auto second = develop(film.after, recipe.second);
  if (!second) return second;
  return in_between(*first, *second, recipe.between);
}

}  // namespace tsukimi
