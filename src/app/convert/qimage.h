// SPDX-License-Identifier: GPL-3.0-or-later
// Our pictures as Qt has them.
#pragma once

#include <QImage>

#include "develop/display.h"

namespace tsukimi::app {

QImage to_qimage(const Encoded8& picture);

}  // namespace tsukimi::app
