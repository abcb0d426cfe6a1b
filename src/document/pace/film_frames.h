// SPDX-License-Identifier: GPL-3.0-or-later
// The frames of the film, and what each is made from.
#pragma once

#include "document/pace/film_time.h"

namespace tsukimi {

// How pictures are put together (film/compose.h): there is one; a picture is made between two along
// what moves, as far towards the second as its weight says (0..1); their mean by their weights; the
// mean of all that is between them along what moves, while a shutter is open; the lightest of each
// place.
enum class Composition { one, between, average, swept, lighten };
constexpr Words<Composition> kCompositions{{{Composition::one, "one"},
                                            {Composition::between, "between"},
                                            {Composition::average, "average"},
                                            {Composition::swept, "swept"},
                                            {Composition::lighten, "lighten"}}};

struct FilmPart {
  int frame = 0;  // of the sequence
  double weight = 1;
  double at = 0;  // where it stands, see KeptFrame
  bool operator==(const FilmPart&) const = default;
};

struct FilmFrame {
  int frame = 0;                // of the sequence: the one that stands there, or is nearest
  bool replaces = false;        // that frame, which is set aside: adjustments are those it has
  std::vector<FilmPart> parts;  // in order; at least one
  Composition how = Composition::one;
  double time = 0;            // in the film, in frames of it from 0
  double open = 0, shut = 0;  // swept: from where to where, of the places where parts stand
  double fade = 0;            // -1: black .. 0: not faded .. 1: white (film/fade.h)
  bool made() const { return parts.size() > 1; }
  bool operator==(const FilmFrame&) const = default;
};

// A frame of the sequence as it is, for a time of the film.
FilmFrame itself(int frame, double time = 0);

// All frames of a shoot's film.
class FilmFrames {
 public:
  explicit FilmFrames(const Shoot& shoot);
  int count() const { return kept_.frames.empty() ? 0 : time_.frames(); }
  FilmFrame operator[](int k) const { return made(time_.place(k), k); }
  // The film as it is where a frame of the sequence stands, whether or not a frame of the film
  // falls on that; nothing when the film passes over it.
  std::optional<FilmFrame> at(int frame) const;
  // When a frame of the sequence comes, in frames of the film from 0; those that it passes over
  // just behind the one before them, those beyond its ends one apart.
  double time(int frame) const { return time_.time(places_[static_cast<std::size_t>(frame)]); }
  double speed(int frame) const { return time_.speed(places_[static_cast<std::size_t>(frame)]); }

 private:
  FilmFrame made(double place, double time) const;
  double part_of(std::size_t before, double place) const;
  const KeptFrame* replaced_at(double place) const;
  int nearest(double place) const;
  void show_moment(FilmFrame& out, double place, double speed) const;
  void show_open_shutter(FilmFrame& out, double place, double long_as) const;
  double fade(double time) const;

  Pace pace_;
  double fps_ = 24;
  KeptFrames kept_;
  FilmTime time_;
  std::vector<double> places_;  // of all frames of the sequence
};

// For who asks but once.
std::vector<FilmFrame> film_frames(const Shoot& shoot);
int film_length(const Shoot& shoot);
std::optional<FilmFrame> film_frame_at(const Shoot& shoot, int frame);

}  // namespace tsukimi
