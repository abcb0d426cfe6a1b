// SPDX-License-Identifier: GPL-3.0-or-later
// All that decides one picture: plain data. For what a shoot shows, film_recipe (film/film.h) is
// the one builder. Two pictures of equal recipes are equal.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "adjust/parameters.h"
#include "camera/frame_info.h"
#include "camera/hot_pixels.h"
#include "camera/lens_profile.h"
#include "camera/merge.h"
#include "framing/placement.h"
#include "light/light.h"
#include "places/place.h"
#include "repairs/repair.h"

namespace tsukimi {

// What a picture is made from: a shot, or those of a moment together, and what its camera noted.
struct Source {
  std::filesystem::path folder;
  FrameInfo info;
  MergeInfo merge = {};  // by what read_moment() merges them
  std::filesystem::path file() const { return folder / info.file; }
  bool operator==(const Source&) const = default;
};

// The frame of the film that a picture is for. Only operations that make something of their own in
// each frame (ParameterInfo::of_each_frame) look at it; where none is used it is as here, so that
// the same picture is the same wherever in the film it stands.
struct FilmPosition {
  int number = 0;          // from 0
  std::uint32_t seed = 0;  // of the shoot
  bool operator==(const FilmPosition&) const = default;
};

// Nothing in it comes from that frame's own pixels.
struct PictureRecipe {
  Source source;
  Look look;
  Light light;
  Placement placement;
  std::shared_ptr<const LensMesh> lens;         // none: not known, or not wanted
  std::shared_ptr<const HotPixels> hot_pixels;  // of the sequence; none: not looked for
  std::vector<PlaceAt> places;                  // those that do something there, in order
  std::optional<PlaceAt> veil;                  // whose mask is laid over the picture to be seen
  std::vector<RepairAt> repairs;                // in order
  FilmPosition film = {};
  bool operator==(const PictureRecipe&) const = default;
};

// All of it in a line, the same on every run; what is at its preset is not told.
std::string text_of(const PictureRecipe& recipe);

}  // namespace tsukimi
