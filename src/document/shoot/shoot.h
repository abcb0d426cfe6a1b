// SPDX-License-Identifier: GPL-3.0-or-later
// The document: one sequence of frames and all that was decided about it.
//
// Functions speak of frames by their place, from 0 in the order of the sequence; what is decided
// names them by their ids, and so stays with them. Pure data and pure functions; the file format is
// in shoot_file.h.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "adjust/keyed_values.h"
#include "develop/develop.h"
#include "document/exports/film_settings.h"
#include "document/shoot/pace.h"
#include "document/shoot/trails.h"
#include "folder/sequence.h"
#include "light/deflicker.h"
#include "light/level.h"
#include "motion/steady_path.h"
#include "places/place.h"
#include "repairs/repair.h"

namespace tsukimi {

class OtherFrames;
struct MotionTrack;
struct SkyFit;

// What of the frame the film shows: film/framing.h has it over all frames.
struct Framing {
  std::string aspect;     // "16:9"; empty: as the crop is
  Rect crop;              // its shape, and where it lies when it does not glide; as if not turned
  double straighten = 0;  // degrees by which it is turned, clockwise: as what should be
                          // level is
  KeyedValues glide{kGlide, {}};  // none: the crop stays where it is
  SteadySettings steady = {};
  KeyedValues stars{kStarHold, {}};  // how far they stand where they are held; none: wholly
  bool operator==(const Framing&) const = default;
};

// What becomes of frames that are set aside between kept ones: up to three in a row are filled and
// longer runs closed up, or all the one way or the other.
enum class AsidePolicy { automatic, fill, close_up };
constexpr Words<AsidePolicy> kAsidePolicies{{{AsidePolicy::automatic, "automatic"},
                                             {AsidePolicy::fill, "fill"},
                                             {AsidePolicy::close_up, "close_up"}}};

// What undo and redo move between.
struct Decisions {
  FrameOrder order = FrameOrder::name;  // sort_shoot() puts the frames into it
  Bracketing brackets;                  // group_shoot() makes frames of shots by it
  std::vector<FrameId> set_aside;       // frames left out of the film, ascending
  std::vector<FrameId> looked_at;       // suspects that the photographer keeps, ascending
  AsidePolicy aside = AsidePolicy::automatic;
  KeyedValues look;                // no key frames: every frame as shot
  std::vector<LocalPlace> places;  // in order
  std::vector<Repair> repairs;     // in order
  LevelSettings level;
  DeflickerSettings deflicker;
  Framing framing;
  double fps = 24;
  Pace pace;
  Trails trails;
  int in = 0, out = -1;  // first and last frame of the film; out -1: to the end
  // What is made of the film: numbered frames, films, or both in one pass.
  ExportSettings output;
  bool makes_frames = true;
  std::vector<FilmSettings> films;
  bool operator==(const Decisions&) const = default;
};

struct Shoot {
  Sequence sequence;
  TemperatureTint as_shot{5500, 0};  // of the first frame that can be read
  Decisions decisions;
  std::shared_ptr<const HotPixels> hot_pixels;  // found on demand; none: not looked for
  // How the camera moved, frames by their ids; measured on demand; none: not known.
  std::shared_ptr<const MotionTrack> motion;
  std::shared_ptr<const SkyFit> sky;  // how it turned; measured on demand; none: not known
  std::shared_ptr<LensLibrary> lenses = std::make_shared<LensLibrary>();
  std::shared_ptr<OtherFrames> other_frames;  // what pictures take from them; none: not asked for
  // Checksum of the file that it was read from or saved to last; empty: none.
  std::string file_sum;

  int frame_count() const { return static_cast<int>(sequence.frames.size()); }
};

// The untouched sequence: reads one frame for the camera's white balance. Fails when no frame can
// be read at all.
Result<Shoot> start_shoot(Sequence sequence);

// What has values that run through key frames: the look; a place, by its number from 0; a shape of
// a place; a spot; the glide of the crop; the film's speed; how far the stars are held; their
// trails.
struct KeyTarget {
  Kind kind = kLook;
  int number = 0;  // of the place, or of the repair
  int shape = 0;   // of that place
  bool operator==(const KeyTarget&) const = default;
};
// One value of a target: what a ruler moves. A parameter alone is that of the first of its kind.
struct Setting {
  Param param;
  int number = 0, shape = 0;
  Setting(Param p, int of = 0, int shape_of = 0) : param(p), number(of), shape(shape_of) {}
  KeyTarget target() const { return {kind_of(param), number, shape}; }
};
// By its name in files and on the command line: "exposure" or "look.exposure"; "place.2.exposure",
// from 1. Whether there is such a place, has() says.
std::optional<Setting> find_setting(std::string_view name);
bool has(const Decisions& decisions, const KeyTarget& target);
KeyedValues& keyed(Decisions& decisions, const KeyTarget& target);
const KeyedValues& keyed(const Decisions& decisions, const KeyTarget& target);

// How the camera moved against the first frame; not known: as if it had stood still.
Similarity move_of(const Shoot& shoot, int frame);
std::vector<Similarity> moves_of(const Shoot& shoot);
double aspect_of(const Shoot& shoot);      // width over height of the frame
double shape_of_crop(const Shoot& shoot);  // of the crop, in pixels

// Key frames; how they are made is in document/values.h.
bool has_key(const Shoot& shoot, int frame, const KeyTarget& target = {});
std::vector<int> key_places(const Shoot& shoot, const KeyTarget& target = {});  // ascending
void remove_key(Shoot& shoot, int frame, const KeyTarget& target = {});
// To another frame, its values and easing with it. False, and nothing done, where there is none, or
// one stands at `to` already.
bool move_key(Shoot& shoot, int from, int to, const KeyTarget& target = {});
// How values pass the key frame there; smooth where there is none.
Easing easing_at(const Shoot& shoot, int frame, const KeyTarget& target = {});
void set_easing(Shoot& shoot, int frame, Easing easing, const KeyTarget& target = {});
// The glide begins and ends at rest, and passes its other key frames smoothly.
void ease_ends(Shoot& shoot);
// Whether a value is more than nothing at some key frame.
bool is_used(const Decisions& decisions, Setting setting);
// Whether a film of it holds light above white.
bool has_wide_light(const Decisions& decisions);

// Puts the frames into this order.
void sort_shoot(Shoot& shoot, FrameOrder order);

// Makes frames of the shots in another way; what was decided about a frame is of the one that has
// that shot from then on, ids and all.
void group_shoot(Shoot& shoot, const Bracketing& how);

// Frames that a camera has taken since go behind the others; what is decided stays.
void append_frames(Shoot& shoot, std::vector<FrameInfo> frames);

// The same decisions about the frames of another list of them, by their names; what is decided
// about frames that are not in it goes.
Decisions moved_to(const Decisions& decisions, const Sequence& from, const Sequence& to);

}  // namespace tsukimi
