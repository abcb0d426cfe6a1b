// SPDX-License-Identifier: GPL-3.0-or-later
// Frames of the film: what decides each, and how it is developed.
#pragma once

#include "document/courses.h"
#include "document/pace/film_frames.h"
#include "film/light_plan.h"
#include "film/trail_at.h"

namespace tsukimi {

// One picture that takes part in a frame of the film, how much, and where it stands (FilmPart).
struct Take {
  PictureRecipe picture;
  double weight = 1;
  double at = 0;
  bool operator==(const Take&) const = default;
};

// What is needed to develop one frame of the film. Its pictures have each its own adjustments,
// light, noise and lens; where they replace a frame that is set aside, that frame's adjustments. A
// frame that the film passes over takes the light of the kept frame nearest to it.
struct FilmRecipe {
  double time = 0;  // of capture, s since 1970; 0: unknown
  std::vector<Take> takes;
  Composition how = Composition::one;
  double open = 0, shut = 0, fade = 0;        // see FilmFrame
  std::optional<TrailAt> trail = {};          // what it keeps of the light before it
  std::shared_ptr<OtherFrames> other_frames;  // what areas and strokes take from them
  const PictureRecipe& first() const { return takes.front().picture; }
  bool operator==(const FilmRecipe&) const = default;
};
std::string text_of(const FilmRecipe& recipe);

// What a picture shows, and in how many pixels.
struct View {
  bool whole_frame = false;  // as it was shot; else what the film shows of it
  Size size;                 // 0x0: of the whole frame all pixels, of the film those of the export
  Size film;                 // of the export whose shape it has; 0x0: what is made first
};
inline View export_view(Size size) { return {false, size, size}; }

FilmRecipe film_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       const FilmFrame& film, const View& view);
// In two halves for who must not wait: the first look-up of a lens reads a database.
FilmRecipe film_recipe_without_lenses(const Shoot& shoot, const Courses& courses,
                                      const LightPlan& plan, const FilmFrame& film,
                                      const View& view);
void find_lenses(FilmRecipe& recipe, LensLibrary& lenses);
// The pictures whose edges its strokes follow: of their key frames, or of the nearest that can be
// read. film_recipe has done so.
void choose_guides(const Shoot& shoot, PlaceAt& place);
// Reads what areas are filled with from time and what strokes follow the edges of, once for all
// frames. Fails like read_frame.
Result<void> read_other_frames(FilmRecipe& recipe);
Result<void> read_other_frames(FilmRecipe& recipe, ProxyStore& store);  // from proxies
// A frame as the camera shot it: no look, no correction of light.
FilmRecipe as_shot_recipe(const Shoot& shoot, int frame);

// At full quality from the original files; linear Rec. 2020. Reading and developing apart, so that
// an export can read one frame while it develops another. One sensor frame for each take.
Result<std::vector<SensorFrame>> read_takes(const FilmRecipe& recipe);
// Whether all files that it is made from are still those that were there when the shoot was opened:
// its frames, those that areas are filled with, those whose edges strokes follow.
Result<void> check_sources(const FilmRecipe& recipe);
// Without its trail: film/trails.h makes that, frame after frame.
Image develop_film_frame(std::vector<SensorFrame> takes, const FilmRecipe& recipe);
Result<Image> develop_film_frame(const FilmRecipe& recipe);
// The same from proxies.
Result<Image> develop_film_proxy(ProxyStore& store, const FilmRecipe& recipe);

}  // namespace tsukimi
