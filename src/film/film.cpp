// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/film.h"

#include <algorithm>
#include <cmath>

#include "camera/moment.h"
#include "document/framing/output_size.h"
#include "film/compose.h"
#include "film/other_frames.h"
#include "film/trails.h"
#include "image/fast_math.h"

namespace tsukimi {
namespace {

int nearest_kept(const Shoot& shoot, int frame) {
  for (int by = 0; by < shoot.frame_count(); ++by)
    for (int f : {frame - by, frame + by})
      if (f >= 0 && f < shoot.frame_count() && is_kept(shoot, f)) return f;
  return frame;
}

}  // namespace

std::string text_of(const FilmRecipe& recipe) {
  std::string out;
  auto number = [&](const char* what, double v) {
    char text[40];
    std::snprintf(text, sizeof text, "%s %.9g ", what, v);
    out += text;
  };
  if (recipe.fade != 0) number("faded", recipe.fade);
  if (recipe.trail) add_text(out, *recipe.trail);
  if (recipe.how == Composition::one) return out + text_of(recipe.first());
  if (recipe.how == Composition::swept) {
    number("from", recipe.open), number("to", recipe.shut);
    for (const Take& t : recipe.takes) number("at", t.at);
  }
  out += kCompositions[recipe.how].name;
  for (const Take& t : recipe.takes) {
    char weight[40];
    std::snprintf(weight, sizeof weight, " %.9g of ", t.weight);
    out += weight + text_of(t.picture);
  }
  return out;
}

FilmRecipe film_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       const FilmFrame& film, const View& view) {
  FilmRecipe r = film_recipe_without_lenses(shoot, courses, plan, film, view);
  find_lenses(r, *shoot.lenses);
  return r;
}

void find_lenses(FilmRecipe& recipe, LensLibrary& lenses) {
  for (Take& t : recipe.takes)
    if (t.picture.look[Param::lens_profile] > 0)
      t.picture.lens = lenses.find(t.picture.source.info);
}

// What is adjusted at a moment.
struct Adjusted {
  Look look;
  std::vector<PlaceAt> places;
  std::vector<RepairAt> repairs;
  Adjusted(const Courses& courses, int frame) : look(courses.look.at(frame)) {
    for (const PlaceCourse& place : courses.places)
      if (auto here = place.at(frame)) places.push_back(std::move(*here));
    for (const RepairCourse& repair : courses.repairs)
      if (auto here = repair.at(frame)) repairs.push_back(std::move(*here));
  }
};

// The frames nearest to where an area begins and ends: there it is not.
static void choose_sources(const Shoot& shoot, int pictured, AreaAt& area) {
  constexpr std::size_t kMost = 3;  // on either side
  TimeSources& t = area.time;
  t.lies = move_of(shoot, pictured);
  auto take = [&](std::vector<TimeFrame>& into, int k) {
    const FrameInfo& info = shoot.sequence.frames[static_cast<std::size_t>(k)];
    if (info.usable() && !is_set_aside(shoot, k)) into.push_back({info, move_of(shoot, k)});
  };
  for (int k = t.first - 1; k >= 0 && t.before.size() < kMost; --k) take(t.before, k);
  for (int k = t.last + 1; k < shoot.frame_count() && t.after.size() < kMost; ++k) take(t.after, k);
  if (t.before.empty()) t.towards = 1;
  if (t.after.empty()) t.towards = 0;
}

void choose_guides(const Shoot& shoot, PlaceAt& place) {
  const auto& frames = shoot.sequence.frames;
  auto choose = [&](GuideAt& guide) {
    if (guide.key == FrameId::none) return;
    const int key = shoot.sequence.place_of(guide.key), count = shoot.frame_count();
    for (int away = 0; away < count; ++away)
      for (int k : {key - away, key + away})
        if (k >= 0 && k < count && frames[static_cast<std::size_t>(k)].usable()) {
          guide.frame = frames[static_cast<std::size_t>(k)];
          return;
        }
  };
  for (ShapeAt& shape : place.shapes) choose(shape.guide), choose(shape.next_guide);
}

FilmPosition position_of(const Shoot& shoot, const FilmFrame& film, const Look& look) {
  const auto rows = look.kind.rows();
  const bool counts = std::ranges::any_of(
      rows, [&](const auto& row) { return row.of_each_frame && look[row.id] != row.preset; });
  if (!counts) return {};
  // The same on every machine, whatever was decided: of the shoot's first frame.
  std::uint32_t seed = 1;
  for (char c : shoot.sequence.frames.front().file)
    seed = hash3(seed, static_cast<unsigned char>(c), 0);
  return {static_cast<int>(std::lround(film.time)), seed};
}

// The picture of one frame, with what is adjusted at another moment.
static PictureRecipe picture_of(const Shoot& shoot, int frame, const Adjusted& adjusted,
                                const LightPlan& plan, const Light& light,
                                const Placement& placement) {
  const FrameInfo& info = shoot.sequence.frames[frame];
  return {.source = {shoot.sequence.folder, info, plan.merging_of(frame)},
          .look = adjusted.look,
          .light = light,
          .placement = placement,
          .lens = {},
          .hot_pixels = shoot.hot_pixels,
          .places = adjusted.places,
          .veil = {},
          .repairs = adjusted.repairs,
          .film = {}};
}

FilmRecipe film_recipe_without_lenses(const Shoot& shoot, const Courses& courses,
                                      const LightPlan& plan, const FilmFrame& film,
                                      const View& view) {
  const auto& frames = shoot.sequence.frames;
  auto adjusted_at = [&](int frame, int pictured) {
    Adjusted out(courses, frame);
    for (RepairAt& repair : out.repairs)
      if (repair.is_from_time()) choose_sources(shoot, pictured, *repair.area());
    for (PlaceAt& place : out.places) choose_guides(shoot, place);
    return out;
  };
  const FramingCourse& framing = courses.framing;
  const Size shape = view.film.width > 0 ? view.film : output_size(shoot, framing);
  auto placement = [&](int frame) {
    if (view.whole_frame) return framing.whole_frame(film.frame, view.size, shape);
    Placement out = framing.film(film.time, frame, shape);
    if (view.size.width > 0) out.size = view.size;
    return out;
  };
  FilmRecipe r;
  r.time = frames[film.frame].time;
  r.how = film.how;
  r.open = film.open, r.shut = film.shut, r.fade = film.fade;
  r.other_frames = shoot.other_frames;
  for (const FilmPart& part : film.parts) {
    const bool kept = film.made() || is_kept(shoot, part.frame);
    const Light light = plan.light(kept ? part.frame : nearest_kept(shoot, part.frame));
    const Adjusted adjusted = adjusted_at(film.replaces ? film.frame : part.frame, part.frame);
    r.takes.push_back({picture_of(shoot, part.frame, adjusted, plan, light, placement(part.frame)),
                       part.weight, part.at});
    PictureRecipe& picture = r.takes.back().picture;
    picture.film = position_of(shoot, film, picture.look);
  }
  if (!view.whole_frame)
    r.trail = trail_at(shoot, courses, static_cast<int>(std::lround(film.time)));
  if (!(r.time > 0)) r.time = frames[film.parts.front().frame].time;
  return r;
}

// store: of live pictures, which take proxies; without one, files are read.
static Result<void> read_other_frames(FilmRecipe& recipe, ProxyStore* store) {
  auto others = [&](const Take& take) -> OtherFrames& {
    if (!recipe.other_frames)
      recipe.other_frames = std::make_shared<OtherFrames>(take.picture.source.folder);
    return *recipe.other_frames;
  };
  for (Take& take : recipe.takes) {
    for (RepairAt& r : take.picture.repairs) {
      if (!r.is_from_time()) continue;
      AreaAt& area = *r.area();
      for (const auto& [frames, light] : {std::pair{&area.time.before, &area.time.light_before},
                                          {&area.time.after, &area.time.light_after}}) {
        if (frames->empty()) continue;
        auto found = store ? others(take).of_proxies(*store, *frames, area)
                           : others(take).of_files(*frames, area);
        if (!found) return tl::unexpected(found.error());
        *light = std::move(*found);
      }
    }
    auto find_guides = [&](PlaceAt& place) -> Result<void> {
      for (ShapeAt& shape : place.shapes)
        for (GuideAt* guide : {&shape.guide, &shape.next_guide}) {
          if (guide->key == FrameId::none) continue;
          auto found = others(take).edge_guide(store, guide->frame);
          if (!found) return tl::unexpected(found.error());
          guide->guide = std::move(*found);
        }
      return {};
    };
    for (PlaceAt& place : take.picture.places)
      if (auto ok = find_guides(place); !ok) return ok;
    if (take.picture.veil)
      if (auto ok = find_guides(*take.picture.veil); !ok) return ok;
    if (recipe.trail && recipe.trail->sky)
      if (auto ok = find_guides(*recipe.trail->sky); !ok) return ok;
  }
  return {};
}

Result<void> read_other_frames(FilmRecipe& recipe) { return read_other_frames(recipe, nullptr); }
Result<void> read_other_frames(FilmRecipe& recipe, ProxyStore& store) {
  return read_other_frames(recipe, &store);
}

Result<void> check_sources(const FilmRecipe& recipe) {
  for (const Take& take : recipe.takes) {
    const auto& folder = take.picture.source.folder;
    std::vector<const FrameInfo*> frames{&take.picture.source.info};
    for (const RepairAt& r : take.picture.repairs)
      if (r.is_from_time())
        for (const auto* list : {&r.area()->time.before, &r.area()->time.after})
          for (const TimeFrame& f : *list) frames.push_back(&f.info);
    auto add_guides = [&](const PlaceAt& place) {
      for (const ShapeAt& shape : place.shapes)
        for (const GuideAt* guide : {&shape.guide, &shape.next_guide})
          if (guide->key != FrameId::none) frames.push_back(&guide->frame);
    };
    std::ranges::for_each(take.picture.places, add_guides);
    if (recipe.trail && recipe.trail->sky) add_guides(*recipe.trail->sky);
    for (const FrameInfo* frame : frames)
      if (auto ok = check_unchanged(folder, *frame); !ok) return ok;
  }
  return {};
}

FilmRecipe as_shot_recipe(const Shoot& shoot, int frame) {
  PictureRecipe picture;
  picture.source = {shoot.sequence.folder, shoot.sequence.frames[frame], {}};
  picture.look = neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint);
  FilmRecipe out;
  out.time = shoot.sequence.frames[frame].time;
  out.takes.push_back({std::move(picture), 1});
  return out;
}

Result<std::vector<SensorFrame>> read_takes(const FilmRecipe& recipe) {
  std::vector<SensorFrame> out;
  for (const Take& t : recipe.takes) {
    const Source& source = t.picture.source;
    auto frame = read_moment(source.folder, source.info, Wanted::later, source.merge);
    if (!frame) return tl::unexpected(frame.error());
    out.push_back(std::move(*frame));
  }
  return out;
}

Image develop_film_frame(std::vector<SensorFrame> takes, const FilmRecipe& recipe) {
  return *compose(
      [&](std::size_t k) -> Result<Image> {
        return develop_frame(std::move(takes[k]), recipe.takes[k].picture);
      },
      recipe);
}

Result<Image> develop_film_frame(const FilmRecipe& given) {
  FilmRecipe recipe = given;
  if (auto ok = read_other_frames(recipe); !ok) return tl::unexpected(ok.error());
  auto takes = read_takes(recipe);
  if (!takes) return tl::unexpected(takes.error());
  return develop_film_frame(std::move(*takes), recipe);
}

Result<Image> develop_film_proxy(ProxyStore& store, const FilmRecipe& given) {
  FilmRecipe recipe = given;
  if (auto ok = read_other_frames(recipe, &store); !ok) return tl::unexpected(ok.error());
  return compose(
      [&](std::size_t k) -> Result<Image> {
        const PictureRecipe& picture = recipe.takes[k].picture;
        const auto proxy = store.get(picture.source.info);
        if (!proxy) return tl::unexpected(proxy.error());
        return develop_proxy(**proxy, picture);
      },
      recipe);
}

}  // namespace tsukimi
