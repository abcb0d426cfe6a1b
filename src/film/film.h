// Which frames the film has: the kept ones, and those that are made in place of frames set aside.
#pragma once

#include "document/shoot.h"
#include "film/light_plan.h"

namespace tsukimi {

bool is_set_aside(const Decisions& decisions, int frame);
void set_aside(Decisions& decisions, const std::vector<int>& frames, bool aside);

// Readable, not set aside, between in and out: what levelling, deflicker and the film work on.
bool is_kept(const Shoot& shoot, int frame);

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

// What is needed to develop one frame of the film: one picture, or the two that it is made from,
// both with the look of the frame made and each with its own correction of light. A frame that the
// film passes over takes the correction of the kept frame nearest to it.
struct FilmRecipe {
  FilmFrame film;
  FrameSettings settings, second;
  double between = 0;  // 0..1, by capture time: how far from the first to the second
};
FilmRecipe film_recipe(const Shoot& shoot, const LookCourse& course, const LightPlan& plan,
                       const FilmFrame& film, Size size);
// In two halves for who must not wait: the first look-up of a lens reads a database.
FilmRecipe film_recipe_without_lenses(const Shoot& shoot, const LookCourse& course,
                                      const LightPlan& plan, const FilmFrame& film, Size size);
void find_lenses(FilmRecipe& recipe, const Shoot& shoot);

// At full quality from the original files; linear Rec. 2020. Reading and developing apart, so that
// an export can read one frame while it develops another.
struct FilmSource {
  SensorFrame first, second;  // second: of a frame that is made from two
};
Result<FilmSource> read_film_frame(const Shoot& shoot, const FilmRecipe& recipe);
Image develop_film_frame(FilmSource source, const FilmRecipe& recipe);
Result<Image> develop_film_frame(const Shoot& shoot, const FilmRecipe& recipe);
// The same from proxies.
Result<Image> develop_film_proxy(const Shoot& shoot, ProxyStore& store, const FilmRecipe& recipe);

}  // namespace tsukimi
