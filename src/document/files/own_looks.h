// SPDX-License-Identifier: GPL-3.0-or-later
// The looks that come with the program, made for the harbour: from clear day to deep night.
#pragma once

#include "document/files/saved_look.h"

namespace tsukimi {

const std::vector<SavedLook>& own_looks();

}  // namespace tsukimi
