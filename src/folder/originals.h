// Where nothing may be written: onto a camera's card, and among original frames.
#pragma once

#include <filesystem>

#include "base/result.h"

namespace tsukimi {

// The card that a path lies on: what holds the DCIM folder that it is in or below, or a mounted
// volume with one; empty when it lies on none. Real paths, so that no link leads around it.
std::filesystem::path card_of(const std::filesystem::path& path);

// Whether `path` is `folder` or lies below it, by the components of their real paths. What does not
// exist yet counts as where it would be made.
bool lies_in(const std::filesystem::path& path, const std::filesystem::path& folder);

// Fails, with a sentence, when new files may not be put into `folder`: on a card, in a folder that
// holds raw files, or in that of the frames themselves.
Result<void> check_may_write(const std::filesystem::path& folder,
                             const std::filesystem::path& frames = {});

}  // namespace tsukimi
