// SPDX-License-Identifier: GPL-3.0-or-later
// How much memory a program may still ask for.
#pragma once

#include <cstdint>

namespace tsukimi {

// Bytes: what the machine has free, or less where this process (ulimit) or its group (container) is
// held to less.
std::uint64_t free_memory();

}  // namespace tsukimi
