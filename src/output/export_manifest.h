// What stands beside exported frames (tsukimi-export.json): what each file was made from, so that
// an export goes on where it stopped.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>

#include "base/file.h"
#include "film/film.h"

namespace tsukimi {

struct MadeFile {
  std::string recipe;
  FileStamp stamp;  // as it was when it was whole and on the disk
};
using Manifest = std::map<std::string, MadeFile>;  // by file name

// Empty when there is none. Fails when what stands under its name is nobody's manifest: then the
// folder is not ours to write to.
Result<Manifest> read_manifest(const std::filesystem::path& folder);
Result<void> write_manifest(const std::filesystem::path& folder, const Manifest& manifest);

// Everything that decides the bytes of one exported file, in a line.
std::string export_recipe(const FilmRecipe& recipe, const ExportSettings& how);

}  // namespace tsukimi
