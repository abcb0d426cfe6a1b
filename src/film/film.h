// Which frames the film has: the kept ones, and those that are made in place of frames set aside.
#pragma once

#include "document/shoot.h"
#include "film/light_plan.h"

namespace tsukimi {

bool is_set_aside(const Shoot& shoot, int frame);
void set_aside(Shoot& shoot, const std::vector<int>& frames, bool aside);
// A suspect that was looked at, and is good.
bool is_looked_at(const Shoot& shoot, int frame);
void look_at(Shoot& shoot, int frame);

// Readable, not set aside, between in and out: what levelling, deflicker and the film work on.
bool is_kept(const Shoot& shoot, int frame);

// The first and the last frame of the film; set: the last frame of the shoot means "to the end".
std::pair<int, int> film_range(const Shoot& shoot);
void set_film_range(Shoot& shoot, int in, int out);

// One frame of the film: a frame of the sequence, or, in the place of one that was set aside, a
// picture made from the kept frames before and after it.
struct FilmFrame {
  int frame = 0;
  int before = -1, after = -1;  // -1: not made
  bool made() const { return before >= 0; }
  bool operator==(const FilmFrame&) const = default;
};
// Kept frames, frames whose file is away for now (their numbers stay free), and made ones. Frames
// are made only between frames that can be read.
std::vector<FilmFrame> film_frames(const Shoot& shoot);

// The frame of the film that stands at a frame of the sequence; nothing when the film passes over
// it.
std::optional<FilmFrame> film_frame_at(const Shoot& shoot, int frame);

// One picture that takes part in a frame of the film, and how much.
struct Take {
  PictureRecipe picture;
  double weight = 1;
  bool operator==(const Take&) const = default;
};

// How takes are put together (compose.h): there is one; a picture is made between two along what
// moves (motion/optical_flow.h), as far towards the second as its weight says (0..1); their mean by
// their weights; the lightest of each place.
enum class Composition { one, between, average, lighten };

// What is needed to develop one frame of the film. Pictures made from neighbours have the look of
// the frame in whose place they stand and each its own light, noise and lens. A frame that the film
// passes over takes the light of the kept frame nearest to it.
struct FilmRecipe {
  double time = 0;  // of capture, s since 1970; 0: unknown
  std::vector<Take> takes;
  Composition how = Composition::one;
  std::shared_ptr<OtherFrames> other_frames;  // what areas and strokes take from them
  const PictureRecipe& first() const { return takes.front().picture; }
  bool operator==(const FilmRecipe&) const = default;
};
std::string text_of(const FilmRecipe& recipe);

// Where the film's picture lies in the frame, at this size or (0x0) at that of the export; and a
// part of the frame that a view shows, with what of it is the film.
Placement film_placement(const Shoot& shoot, Size size = {});
Placement output_placement(const Shoot& shoot, Size size);  // of frames, or of a film, of that size
Placement view_placement(const Shoot& shoot, Rect part, Size size);

FilmRecipe film_recipe(const Shoot& shoot, const Courses& courses, const LightPlan& plan,
                       const FilmFrame& film, const Placement& placement);
// In two halves for who must not wait: the first look-up of a lens reads a database.
FilmRecipe film_recipe_without_lenses(const Shoot& shoot, const Courses& courses,
                                      const LightPlan& plan, const FilmFrame& film,
                                      const Placement& placement);
void find_lenses(FilmRecipe& recipe, LensLibrary& lenses);
// The pictures whose edges its strokes follow: of their key frames, or of the nearest that can be
// read. film_recipe has done so.
void choose_guides(const Shoot& shoot, PlaceAt& place);
// Reads what areas are filled with from time and what strokes follow the edges of, once for all
// frames. Fails like read_frame.
Result<void> read_other_frames(FilmRecipe& recipe);
// A frame as the camera shot it: no look, no correction of light.
FilmRecipe as_shot_recipe(const Shoot& shoot, int frame);

// At full quality from the original files; linear Rec. 2020. Reading and developing apart, so that
// an export can read one frame while it develops another. One sensor frame for each take.
Result<std::vector<SensorFrame>> read_takes(const FilmRecipe& recipe);
Image develop_film_frame(std::vector<SensorFrame> takes, const FilmRecipe& recipe);
Result<Image> develop_film_frame(const FilmRecipe& recipe);
// The same from proxies.
Result<Image> develop_film_proxy(ProxyStore& store, const FilmRecipe& recipe);

}  // namespace tsukimi
