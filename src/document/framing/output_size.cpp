// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/framing/output_size.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

Size output_size(const FramingCourse& framing, const PixelSize& wanted) {
  if (wanted.exact.width > 0) return wanted.exact;
  const Size all = framing.smallest();
  if (wanted.long_edge <= 0) return all;
  const double scale = static_cast<double>(wanted.long_edge) / std::max(all.width, all.height);
  return {std::max(1, static_cast<int>(std::lround(all.width * scale))),
          std::max(1, static_cast<int>(std::lround(all.height * scale)))};
}

static Size film_size(const FramingCourse& framing, const FilmSettings& film) {
  // Colour has half as many samples: a row or a column more is left out.
  const Size all = output_size(framing, film.pixels);
  return {std::max(2, all.width / 2 * 2), std::max(2, all.height / 2 * 2)};
}

Size output_size(const Shoot& shoot, const FramingCourse& framing) {
  const Decisions& d = shoot.decisions;
  return d.makes_frames || d.films.empty() ? output_size(framing, d.output.pixels)
                                           : film_size(framing, d.films.front());
}

Size output_size(const Shoot& shoot, const PixelSize& wanted) {
  return output_size(FramingCourse(shoot), wanted);
}
Size film_size(const Shoot& shoot, const FilmSettings& film) {
  return film_size(FramingCourse(shoot), film);
}
Size output_size(const Shoot& shoot) { return output_size(shoot, FramingCourse(shoot)); }

std::string shape_note(const Shoot& shoot, Size out) {
  const double have = shape_of_crop(shoot), want = static_cast<double>(out.width) / out.height;
  const double lost = 1 - std::min(have / want, want / have);
  if (lost < 0.005) return {};
  char text[160];
  std::snprintf(text, sizeof text,
                "%d×%d has another shape than the crop: %.0f %% of it is cut away at the %s.",
                out.width, out.height, std::max(1.0, 100 * lost),
                want < have ? "sides" : "top and bottom");
  return text;
}

std::string enlarged_note(const Shoot& shoot, Size out) {
  const Size there = FramingCourse(shoot).smallest(out);
  if (out.width <= there.width && out.height <= there.height) return {};
  char text[160];
  std::snprintf(text, sizeof text,
                "The crop has %d×%d pixels there: %d×%d is enlarged, and shows no more detail.",
                there.width, there.height, out.width, out.height);
  return text;
}

std::string fades_note(const Shoot& shoot) {
  const Pace& p = shoot.decisions.pace;
  const double film = film_length(shoot) / shoot.decisions.fps, fades = p.fade_in + p.fade_out;
  if (fades <= film + 1e-6) return {};
  char text[200];
  std::snprintf(text, sizeof text,
                "The fades take %.2f s and the film has %.2f s: no frame of it is seen unfaded.",
                fades, film);
  return text;
}

std::string fit_note(const FramingCourse& framing) {
  if (framing.held_turn() > FramingCourse::kMostHeld) {
    char text[200];
    std::snprintf(
        text, sizeof text,
        "The stars are not held: the land would turn by %.0f degrees each way, and 45 are "
        "possible. Shorten the film, or hold them for a part of it.",
        framing.held_turn());
    return text;
  }
  const double all = 100 * (1 - framing.fit()), turn = 100 * (1 - framing.fit_for_turn());
  constexpr double kWorthSaying = 0.05;
  if (all < kWorthSaying) return {};
  char text[200];
  const bool turned = turn >= kWorthSaying, shaken = all - turn >= kWorthSaying;
  if (turned && shaken)
    std::snprintf(text, sizeof text,
                  "The crop is %.1f %% smaller, so that no border shows: %.1f %% for the turn, the "
                  "rest for steadying.",
                  all, turn);
  else
    std::snprintf(text, sizeof text, "The crop is %.1f %% smaller %s, so that no border shows.",
                  all, turned ? "for the turn" : "for steadying");
  return text;
}

}  // namespace tsukimi
