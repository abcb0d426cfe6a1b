// SPDX-License-Identifier: GPL-3.0-or-later
// What drawers say of how the sky turned.
#pragma once

#include <QStringList>

#include "document/shoot/shoot.h"

namespace tsukimi::app {

// Lines of rich text; none when it is not known yet.
QStringList sky_words(const Shoot& shoot);

}  // namespace tsukimi::app
