// SPDX-License-Identifier: GPL-3.0-or-later
// What each frame of a film with trails keeps of those before it.
#include <algorithm>
#include <cmath>

#include "base/cache.h"
#include "film/trails.h"
#include "sky/sky_fit.h"

namespace tsukimi {
namespace {

// By frames or by minutes from one frame to the next: what is left of its light. It has faded by so
// many stops after the length of a tail.
double kept(const Trails& trails, const Values& values, double minutes) {
  if (trails.kind == TrailKind::grow) return 1;
  const double length = values[Param::trail_length],
               step = trails.unit == TrailUnit::minutes ? minutes : 1;
  if (length < 1e-6) return 0;
  return std::exp2(-values[Param::trail_fade] * step / length);
}

// From one frame of the film to another; nothing where it is not known.
std::optional<SkyStep> step_between(const Shoot& shoot, int from, int to) {
  const auto& fit = shoot.sky;
  if (!fit || !fit->found()) return {};
  const auto a = static_cast<std::size_t>(shoot.sequence.id_of(from)),
             b = static_cast<std::size_t>(shoot.sequence.id_of(to));
  if (a >= fit->frames.size() || b >= fit->frames.size() || !fit->frames[a].valid ||
      !fit->frames[b].valid)
    return {};
  const Rotation turn = fit->between(static_cast<int>(a), static_cast<int>(b));
  SkyStep out{fit->lens, fit->pole, 0};
  // About its own axis: a tripod that was shoved is in it.
  Ray axis{turn[7] - turn[5], turn[2] - turn[6], turn[3] - turn[1]};
  const double length = std::hypot(axis[0], axis[1], axis[2]);
  if (length < 1e-12) return out;
  for (double& v : axis) v /= length;
  out.pole = axis, out.angle = angle_of(turn);
  return out;
}

}  // namespace

std::optional<TrailAt> trail_at(const Shoot& shoot, const Courses& courses, int number) {
  const Trails& trails = shoot.decisions.trails;
  if (trails.kind == TrailKind::none || !courses.trails) return {};
  if (number < 0 || number >= courses.film.count()) return {};  // beyond the film's ends
  const FilmFrame film = courses.film[number];
  const int before = trails.falls_back ? number + 1 : number - 1;
  TrailAt out;
  out.adds = number % trails.every == 0;
  out.keep_out = trails.keep_out;
  out.ground = trails.ground;
  out.ground_mean = trails.ground == TrailGround::mean ? trails.ground_mean : 1;
  if (before >= 0 && before < courses.film.count()) {
    const FilmFrame last = courses.film[before];
    const auto& frames = shoot.sequence.frames;
    const double minutes = std::fabs(frames[static_cast<std::size_t>(film.frame)].time -
                                     frames[static_cast<std::size_t>(last.frame)].time) /
                           60;
    out.keeps = kept(trails, courses.trails->at(film.frame), minutes);
    out.step = step_between(shoot, last.frame, film.frame);
  }
  // With gaps on purpose there is nothing to close.
  out.close_gaps = trails.close_gaps && trails.every == 1;
  if (!out.close_gaps && !out.keep_out) out.step.reset();
  const auto& places = shoot.decisions.places;
  const auto sky = std::ranges::find_if(places, &LocalPlace::sky);
  if (sky != places.end()) {
    out.sky = courses.places[static_cast<std::size_t>(sky - places.begin())].whole(film.frame);
    choose_guides(shoot, *out.sky);
  } else {
    // Nobody said what is ground: there it would be smeared.
    out.close_gaps = out.keep_out = false;
    out.step.reset();
  }
  return out;
}

int ground_number(const Shoot& shoot, const Courses& courses) {
  const int wanted = std::max(shoot.sequence.place_of(shoot.decisions.trails.ground_frame), 0);
  int best = 0, least = shoot.frame_count();
  for (int k = 0; k < courses.film.count(); ++k)
    if (const int off = std::abs(courses.film[k].frame - wanted); off < least)
      least = off, best = k;
  return best;
}

void link_trails(std::span<FilmRecipe* const> recipes, const FilmRecipe* ground) {
  std::string so_far = ground ? text_of(*ground) : "";
  for (FilmRecipe* recipe : recipes) {
    recipe->trail->all_before.clear();
    so_far = cache_name(so_far + text_of(*recipe));
    recipe->trail->all_before = so_far;
  }
}

}  // namespace tsukimi
