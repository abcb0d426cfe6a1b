// SPDX-License-Identifier: GPL-3.0-or-later
// A frame between the kept ones before and after it, each with its name: what changed in one frame
// is seen at once. All as they were shot but for the light, so that a frame set aside shows itself.
#pragma once

#include <QPainter>

#include "app/picture/canvas.h"
#include "app/picture/preview.h"

namespace tsukimi::app {

// In a widget of `size`; canvas: what of the frames is shown.
void paint_neighbours(QPainter& p, QSize size, const Canvas& canvas, Session& session,
                      Preview& preview);

}  // namespace tsukimi::app
