// Room on the disk for what is to be exported.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>

#include "base/result.h"
#include "document/export_settings.h"

namespace tsukimi {

// Bytes of one file: of plain TIFF nearly to the byte, of others what such pictures usually come
// to.
double estimated_bytes(const ExportSettings& how, Size size);

// Bytes that this user may still write there, or in the nearest folder above that is there; nothing
// where the system does not say.
std::optional<double> free_space(const std::filesystem::path& folder);

// Fails, with both numbers, when `frames` of them cannot fit: where sizes are guesses, not even at
// half of the guess.
Result<void> check_space(const std::filesystem::path& folder, const ExportSettings& how, Size size,
                         int frames);

}  // namespace tsukimi
