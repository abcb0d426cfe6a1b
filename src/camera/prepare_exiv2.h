// SPDX-License-Identifier: GPL-3.0-or-later
// Readies Exiv2 before its first use, on any thread and as often as one likes: its XMP toolkit
// needs a lock, and what it finds wrong with a file's metadata is not printed.
#pragma once

namespace tsukimi {

void prepare_exiv2();

}  // namespace tsukimi
