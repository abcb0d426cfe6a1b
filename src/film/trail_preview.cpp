// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/trail_preview.h"

#include <algorithm>

#include "base/cache.h"
#include "film/other_frames.h"

namespace tsukimi {
namespace {

constexpr std::uint64_t kMostBytes = 400ull << 20;  // in memory; all else lies in the cache

std::string name_of(const TrailFilm& film, int place) {
  return film.recipes[static_cast<std::size_t>(place)].trail->all_before + " of proxies " +
         std::to_string(film.size.width) + "x" + std::to_string(film.size.height);
}

std::filesystem::path file_of_trail(const std::string& name) {
  return cache_path("trails", cache_name(name) + ".trail");
}

// The last place before this one whose state is kept; -1: none is.
int last_kept(int place) { return place / TrailPreview::kEvery * TrailPreview::kEvery - 1; }

}  // namespace

TrailFilm trail_film(const Shoot& shoot, const Courses& courses, const LightPlan& light,
                     Size size) {
  TrailFilm out;
  out.size = size;
  out.falls_back = shoot.decisions.trails.falls_back;
  const int count = courses.film.count();
  const auto recipe = [&](int number) {
    return film_recipe(shoot, courses, light, courses.film[number], export_view(size));
  };
  for (int place = 0; place < count; ++place)
    out.recipes.push_back(recipe(out.falls_back ? count - 1 - place : place));
  if (shoot.decisions.trails.ground == TrailGround::frame && count > 0)
    out.ground = recipe(ground_number(shoot, courses));
  // What they take from other frames, as edges that strokes follow, is read once for all.
  auto others = shoot.other_frames ? shoot.other_frames
                                   : std::make_shared<OtherFrames>(shoot.sequence.folder);
  std::vector<FilmRecipe*> in_order;
  for (FilmRecipe& r : out.recipes) {
    r.other_frames = others;
    in_order.push_back(&r);
  }
  if (out.ground) out.ground->other_frames = others;
  link_trails(in_order, out.ground ? &*out.ground : nullptr);
  return out;
}

std::shared_ptr<const TrailState> TrailPreview::kept(const TrailFilm& film, int place) const {
  const std::string name = name_of(film, place);
  {
    const std::lock_guard lock(mutex_);
    if (const auto it = kept_.find(name); it != kept_.end()) {
      it->second.used = ++uses_;
      return it->second.state;
    }
  }
  const auto bytes = load_cached(file_of_trail(name));
  auto state = bytes ? TrailState::from_bytes(*bytes) : tl::unexpected(bytes.error());
  if (!state) return nullptr;
  return std::make_shared<const TrailState>(std::move(*state));
}

void TrailPreview::keep(const TrailFilm& film, int place, const TrailState& state) {
  const std::string name = name_of(film, place);
  (void)save_cached(file_of_trail(name), state.bytes());
  const std::uint64_t each =
      2ull * 3 * sizeof(float) * static_cast<std::uint64_t>(film.size.width) * film.size.height;
  const std::lock_guard lock(mutex_);
  kept_[name] = {std::make_shared<const TrailState>(state), ++uses_};
  while (kept_.size() > 1 && kept_.size() * each > kMostBytes)
    kept_.erase(std::ranges::min_element(kept_, {}, [](const auto& k) { return k.second.used; }));
}

Result<void> TrailPreview::show(TrailState& state, const TrailFilm& film, int place,
                                ProxyStore& store) const {
  const FilmRecipe& recipe = film.recipes[static_cast<std::size_t>(place)];
  auto picture = develop_film_proxy(store, unfaded(recipe));
  if (!picture) {
    state.miss(recipe);
    return {};
  }
  FilmRecipe read = recipe;
  (void)read_other_frames(read, store);
  (void)state.show(std::move(*picture), read);
  return {};
}

bool TrailPreview::is_near(const TrailFilm& film, int number) const {
  const int from = last_kept(film.place(number));
  if (from < 0) return true;
  const std::string name = name_of(film, from);
  {
    const std::lock_guard lock(mutex_);
    if (kept_.contains(name)) return true;
  }
  std::error_code ec;
  return std::filesystem::exists(file_of_trail(name), ec);
}

Result<void> TrailPreview::prepare(const TrailFilm& film, int number, ProxyStore& store,
                                   const Work& work) {
  const int last = last_kept(film.place(number));
  int from = last;
  std::shared_ptr<const TrailState> begin;
  while (from >= 0 && !(begin = kept(film, from))) from -= kEvery;
  if (from == last) return {};
  TrailState state = begin ? *begin : TrailState();
  if (!begin && film.ground)
    if (auto ground = develop_film_proxy(store, unfaded(*film.ground)))
      state.set_ground(std::move(*ground));
  const int first = std::max(from, -1) + 1;
  for (int place = first; place <= last; ++place) {
    if (work.stop()) return fail("Cancelled.");
    if (auto ok = show(state, film, place, store); !ok) return ok;
    if ((place + 1) % kEvery == 0) keep(film, place, state);
    work.report(place - first + 1, last - first + 1);
  }
  return {};
}

Result<TrailState> TrailPreview::before(const TrailFilm& film, int number, ProxyStore& store) {
  const int place = film.place(number), from = last_kept(place);
  TrailState state;
  if (from >= 0) {
    const auto begin = kept(film, from);
    if (!begin) return fail("The trails before this frame are not made yet.");
    state = *begin;
  }
  if (film.ground)
    if (auto ground = develop_film_proxy(store, unfaded(*film.ground)))
      state.set_ground(std::move(*ground));
  for (int k = from + 1; k < place; ++k)
    if (auto ok = show(state, film, k, store); !ok) return tl::unexpected(ok.error());
  return state;
}

}  // namespace tsukimi
