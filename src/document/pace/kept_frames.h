// SPDX-License-Identifier: GPL-3.0-or-later
// What the film is made of before its pace: the kept frames in their order.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

bool is_set_aside(const Shoot& shoot, int frame);
void set_aside(Shoot& shoot, const std::vector<int>& frames, bool aside);
// A suspect that was looked at, and is good.
bool is_looked_at(const Shoot& shoot, int frame);
void look_at(Shoot& shoot, int frame);

// Readable, not set aside, between in and out: what levelling, deflicker and the film work on.
bool is_kept(const Shoot& shoot, int frame);
// Of every frame of the sequence: 1 where it is kept, 0 where not.
std::vector<double> kept_counts(const Shoot& shoot);

// The first and the last frame of the film; set: the last frame of the shoot means "to the end".
std::pair<int, int> film_range(const Shoot& shoot);
void set_film_range(Shoot& shoot, int in, int out);

// One of them, and where it stands: one place after the one before; later where frames set aside
// between them are replaced by made ones, or where a gap in time gets its time.
struct KeptFrame {
  int frame = 0;  // of the sequence
  double at = 0;
  bool held = false;  // the picture stands still until the next one
  bool operator==(const KeptFrame&) const = default;
};
struct KeptFrames {
  // Kept frames, and frames whose file is away for now (their numbers stay free).
  std::vector<KeptFrame> frames;
  // Frames set aside that are replaced, at their places between two of those.
  std::vector<KeptFrame> replaced;
  double end() const { return frames.empty() ? 0 : frames.back().at; }
  // The last of `frames` that stands at a place or before it.
  std::size_t before(double place) const;
};
KeptFrames kept_frames_of(const Shoot& shoot);
// Where every frame of the sequence stands; those that the film passes over stand close behind the
// one before them, those before its beginning or behind its end one place apart.
std::vector<double> places_in(const KeptFrames& kept, int frames);

}  // namespace tsukimi
