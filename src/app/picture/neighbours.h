// A frame between the kept ones before and after it, each with its name: what changed in one frame
// is seen at once. All as they were shot but for the light, so that a frame set aside shows itself.
#pragma once

#include <QPainter>

#include "app/picture/preview.h"

namespace tsukimi::app {

// In a widget of `size`; part: of the frames that is shown, in fractions.
void paint_neighbours(QPainter& p, QSize size, QRectF part, Session& session, Preview& preview);

}  // namespace tsukimi::app
