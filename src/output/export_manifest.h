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

struct Manifest {
  std::map<std::string, MadeFile> files;  // by file name
  std::vector<PlannedFiles> plans;        // in the order in which they were asked for
};

constexpr const char* kManifestName = "tsukimi-export.jsonl";

// Empty when there is none. Fails when what stands under its name is nobody's manifest: then the
// folder is not ours to write to. Lines that make no sense (a crash cut the last one) say nothing.
Result<Manifest> read_manifest(const std::filesystem::path& folder);
// Adds lines, begins the file where there is none; on the disk when it comes back.
Result<void> add_to_manifest(const std::filesystem::path& folder, const Manifest& more);

// Everything that decides the bytes of one exported picture, in a line.
std::string export_recipe(const FilmRecipe& recipe, const ExportSettings& how);
std::string hash_of(const std::string& recipe);

}  // namespace tsukimi
