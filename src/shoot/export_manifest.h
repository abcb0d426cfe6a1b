// What stands beside exported frames (tsukimi-export.json): what each file was made from, so that
// an export goes on where it stopped.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>

#include "shoot/film.h"

namespace tsukimi {

struct MadeFile {
  std::string recipe;
  std::uint64_t bytes =
      0;  // 0: about to be made; what stands under the name is ours but may be cut
};
using Manifest = std::map<std::string, MadeFile>;  // by file name

Manifest read_manifest(const std::filesystem::path& folder);  // empty when there is none
Result<void> write_manifest(const std::filesystem::path& folder, const Manifest& manifest);

// Everything that decides the bytes of one exported file, in a line.
std::string export_recipe(const Shoot& shoot, const FilmRecipe& recipe);

}  // namespace tsukimi
