#include "film/film.h"

#include <algorithm>

#include "film/compose.h"
#include "film/other_frames.h"

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
                                   !is_set_aside(shoot, frame));
}

// Up to which frame the run of frames that are not kept goes on from `first`.
int end_of_run(const Shoot& shoot, int first) {
  int end = first;
  while (end < shoot.frame_count() && in_film(shoot, end) && !holds_place(shoot, end)) ++end;
  return end;
}

bool is_filled(const Decisions& d, int in_a_row) {
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

static bool is_in(const std::vector<FrameId>& list, FrameId id) {
  return std::ranges::binary_search(list, id);
}

static void put(std::vector<FrameId>& list, FrameId id, bool in) {
  const auto at = std::ranges::lower_bound(list, id);
  const bool there = at != list.end() && *at == id;
  if (in && !there) list.insert(at, id);
  if (!in && there) list.erase(at);
}

bool is_set_aside(const Shoot& s, int frame) {
  return is_in(s.decisions.set_aside, s.sequence.id_of(frame));
}

void set_aside(Shoot& s, const std::vector<int>& frames, bool aside) {
  for (int f : frames) put(s.decisions.set_aside, s.sequence.id_of(f), aside);
}

bool is_looked_at(const Shoot& s, int frame) {
  return is_in(s.decisions.looked_at, s.sequence.id_of(frame));
}

void look_at(Shoot& s, int frame) { put(s.decisions.looked_at, s.sequence.id_of(frame), true); }

std::pair<int, int> film_range(const Shoot& shoot) {
  const Decisions& d = shoot.decisions;
  return {d.in, d.out < 0 ? shoot.frame_count() - 1 : d.out};
}

void set_film_range(Shoot& shoot, int in, int out) {
  shoot.decisions.in = in;
  shoot.decisions.out = out >= shoot.frame_count() - 1 ? -1 : out;
}

bool is_kept(const Shoot& shoot, int frame) {
  return shoot.sequence.frames[frame].usable() && in_film(shoot, frame) &&
         !is_set_aside(shoot, frame);
}

// Frames from `first` to before `end` that are not kept, and whether the film makes others in their
// place.
struct Run {
  int before, end;
  bool filled;
};

static Run run_from(const Shoot& shoot, int first) {
  const int before = first - 1, end = end_of_run(shoot, first);
  auto can_help = [&](int frame) {
    return frame >= 0 && frame < shoot.frame_count() && in_film(shoot, frame) &&
           is_kept(shoot, frame);
  };
  return {before, end,
          can_help(before) && can_help(end) && is_filled(shoot.decisions, end - first)};
}

std::vector<FilmFrame> film_frames(const Shoot& shoot) {
  std::vector<FilmFrame> out;
  for (int i = std::max(0, shoot.decisions.in); i < shoot.frame_count() && in_film(shoot, i);) {
    if (holds_place(shoot, i)) {
      out.push_back({i++, -1, -1});
      continue;
    }
    const Run run = run_from(shoot, i);
    for (; i < run.end; ++i)
      if (run.filled && is_set_aside(shoot, i)) out.push_back({i, run.before, run.end});
  }
  return out;
}

std::optional<FilmFrame> film_frame_at(const Shoot& shoot, int frame) {
  if (holds_place(shoot, frame)) return FilmFrame{frame, -1, -1};
  if (!in_film(shoot, frame) || !is_set_aside(shoot, frame)) return {};
  int first = frame;
  while (first > 0 && in_film(shoot, first - 1) && !holds_place(shoot, first - 1)) --first;
  const Run run = run_from(shoot, first);
  return run.filled ? std::optional(FilmFrame{frame, run.before, run.end}) : std::nullopt;
}

Placement film_placement(const Shoot& shoot, Size size) {
  return {film_rect(shoot), size.width > 0 ? size : output_size(shoot)};
}

Placement output_placement(const Shoot& shoot, Size size) { return {film_rect(shoot, size), size}; }

Placement view_placement(const Shoot& shoot, Rect part, Size size) {
  const Rect film = film_rect(shoot);
  return {part, size,
          Rect{(film.x - part.x) / part.w, (film.y - part.y) / part.h, film.w / part.w,
               film.h / part.h}};
}

std::string text_of(const FilmRecipe& recipe) {
  constexpr const char* kHow[] = {"", "between", "average", "lighten"};
  if (recipe.how == Composition::one) return text_of(recipe.first());
  std::string out = kHow[static_cast<std::size_t>(recipe.how)];
  for (const Take& t : recipe.takes) {
    char weight[40];
    std::snprintf(weight, sizeof weight, " %.9g of ", t.weight);
    out += weight + text_of(t.picture);
  }
  return out;
}

FilmRecipe film_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       const FilmFrame& film, const Placement& placement) {
  FilmRecipe r = film_recipe_without_lenses(shoot, courses, plan, film, placement);
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
static void choose_sources(const Shoot& shoot, RepairAt& area) {
  constexpr std::size_t kMost = 3;  // on either side
  TimeSources& t = area.time;
  const auto& frames = shoot.sequence.frames;
  auto good = [&](int k) {
    return frames[static_cast<std::size_t>(k)].usable() && !is_set_aside(shoot, k);
  };
  for (int k = t.first - 1; k >= 0 && t.before.size() < kMost; --k)
    if (good(k)) t.before.push_back(frames[static_cast<std::size_t>(k)]);
  for (int k = t.last + 1; k < shoot.frame_count() && t.after.size() < kMost; ++k)
    if (good(k)) t.after.push_back(frames[static_cast<std::size_t>(k)]);
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

// The picture of one frame, with what is adjusted at another moment.
static PictureRecipe picture_of(const Shoot& shoot, int frame, const Adjusted& adjusted,
                                double stops, const Placement& placement) {
  const FrameInfo& info = shoot.sequence.frames[frame];
  return {.source = {shoot.sequence.folder, info},
          .look = adjusted.look,
          .light = {stops, {}, {}},
          .placement = placement,
          .lens = {},
          .hot_pixels = shoot.hot_pixels,
          .places = adjusted.places,
          .veil = {},
          .repairs = adjusted.repairs};
}

FilmRecipe film_recipe_without_lenses(const Shoot& shoot, const Courses& courses,
                                      const LightPlan& plan, const FilmFrame& film,
                                      const Placement& placement) {
  const auto& frames = shoot.sequence.frames;
  Adjusted adjusted(courses, film.frame);
  for (RepairAt& repair : adjusted.repairs)
    if (repair.kind == RepairKind::area && repair.fill == FillFrom::time)
      choose_sources(shoot, repair);
  for (PlaceAt& place : adjusted.places) choose_guides(shoot, place);
  FilmRecipe r;
  r.time = frames[film.frame].time;
  r.other_frames = shoot.other_frames;
  if (!film.made()) {
    const double stops = plan.correction(nearest_kept(shoot, film.frame));
    r.takes.push_back({picture_of(shoot, film.frame, adjusted, stops, placement), 1});
    return r;
  }
  const Course& time = courses.look;
  const double a = time.place(film.before), b = time.place(film.after);
  const double t = b > a ? std::clamp((time.place(film.frame) - a) / (b - a), 0.0, 1.0) : 0.5;
  r.how = Composition::between;
  for (const auto& [frame, weight] : {std::pair{film.before, 1 - t}, {film.after, t}})
    r.takes.push_back(
        {picture_of(shoot, frame, adjusted, plan.correction(frame), placement), weight});
  if (!(r.time > 0)) r.time = frames[film.before].time;
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
      for (const auto& [frames, light] : {std::pair{&r.time.before, &r.time.light_before},
                                          {&r.time.after, &r.time.light_after}}) {
        if (frames->empty()) continue;
        auto found =
            store ? others(take).of_proxies(*store, *frames, r) : others(take).of_files(*frames, r);
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
  }
  return {};
}

Result<void> read_other_frames(FilmRecipe& recipe) { return read_other_frames(recipe, nullptr); }

FilmRecipe as_shot_recipe(const Shoot& shoot, int frame) {
  PictureRecipe picture;
  picture.source = {shoot.sequence.folder, shoot.sequence.frames[frame]};
  picture.look = neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint);
  FilmRecipe out;
  out.time = shoot.sequence.frames[frame].time;
  out.takes.push_back({std::move(picture), 1});
  return out;
}

Result<std::vector<SensorFrame>> read_takes(const FilmRecipe& recipe) {
  std::vector<SensorFrame> out;
  for (const Take& t : recipe.takes) {
    auto frame = read_frame(t.picture.source.file());
    if (!frame) return tl::unexpected(frame.error());
    out.push_back(std::move(*frame));
  }
  return out;
}

Image develop_film_frame(std::vector<SensorFrame> takes, const FilmRecipe& recipe) {
  std::vector<Image> pictures;
  for (std::size_t i = 0; i < takes.size(); ++i)
    pictures.push_back(develop_frame(std::move(takes[i]), recipe.takes[i].picture));
  return compose(std::move(pictures), recipe);
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
  std::vector<Image> pictures;
  for (const Take& t : recipe.takes) {
    const auto proxy = store.get(t.picture.source.info);
    if (!proxy) return tl::unexpected(proxy.error());
    pictures.push_back(develop_proxy(**proxy, t.picture));
  }
  return compose(std::move(pictures), recipe);
}

}  // namespace tsukimi
