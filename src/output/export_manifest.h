// SPDX-License-Identifier: GPL-3.0-or-later
// What stands beside exported frames (tsukimi-export.jsonl, docs/formats.md): what each file was
// made from, so that an export goes on where it stopped, and so that what is there can be verified.
//
// A line is added when files are on the disk; of several lines about one file the last holds.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>

#include "base/file.h"
#include "document/exports/film_settings.h"
#include "film/film.h"

namespace tsukimi {

struct MadeFile {
  int number = 0;
  std::string recipe;   // hash of export_recipe()
  std::string sources;  // checksums of the files it was made from, in hexadecimal, with blanks
  std::string sum;      // checksum of the file, in hexadecimal
  FileStamp stamp;      // as it was when it was whole and on the disk
  bool operator==(const MadeFile&) const = default;
};

// Files that somebody asked for: numbers of a pattern with its extension.
struct PlannedFiles {
  std::string pattern, extension;
  int first = 1, count = 0;
  bool operator==(const PlannedFiles&) const = default;
};

// A film that somebody asked for, and what each of its frames was made from, once it is there.
struct FilmFrameMade {
  std::string sources;
  std::string recipe;  // hash of all that decides the segment in which it is
  bool operator==(const FilmFrameMade&) const = default;
};
struct PlannedFilm {
  int frames = 0;
  Rate rate;
  Size size;
  std::map<int, FilmFrameMade> made;  // by number
  bool operator==(const PlannedFilm&) const = default;
};

struct Manifest {
  std::map<std::string, MadeFile> files;     // by file name
  std::vector<PlannedFiles> plans;           // in the order in which they were asked for
  std::map<std::string, PlannedFilm> films;  // by file name
};

constexpr const char* kManifestName = "tsukimi-export.jsonl";

// Empty when there is none. Fails when what stands under its name is nobody's manifest: then the
// folder is not ours to write to. Lines that make no sense (a crash cut the last one) say nothing.
Result<Manifest> read_manifest(const std::filesystem::path& folder);
// Adds lines, begins the file where there is none; on the disk when it comes back. Who makes a part
// of an export has a manifest of his own (part > 0), which is read with the others.
Result<void> add_to_manifest(const std::filesystem::path& folder, const Manifest& more,
                             int part = 0);
bool is_manifest(const std::string& file_name);

// Whether a file is the one that was made: it has its size and time, or, where it was copied or
// restored without these, its bytes (which are read then). It is known by its new stamp from then
// on.
bool is_made_file(const std::filesystem::path& file, MadeFile& made);

// Of the code that makes pictures. It is raised when the same recipe gives other bytes, so that no
// export goes on with pictures of two kinds; scripts/golden holds us to it.
constexpr int kEngine = 12;

// Everything that decides a developed picture, and the bytes of one that is exported, in a line.
std::string picture_text(const FilmRecipe& recipe);
std::string export_recipe(const FilmRecipe& recipe, const ExportSettings& how);
std::string hash_of(const std::string& recipe);

}  // namespace tsukimi
