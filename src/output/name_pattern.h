// File names of numbered frames: "harbour_#####" and 42 give "harbour_00042".
#pragma once

#include <string>

#include "base/result.h"

namespace tsukimi {

// Fails, with a sentence for the user, when the pattern has no '#', more than one run of '#', a
// directory separator, too few digits for `count` frames, or is longer than a file's name may be.
Result<void> check_pattern(const std::string& pattern, int count);

std::string numbered_name(const std::string& pattern, int number);

}  // namespace tsukimi
