// SPDX-License-Identifier: GPL-3.0-or-later
// What is lost in the picture, as marks over it: stripes where a channel is clipped, dots where it
// is black.
#pragma once

#include <QImage>

namespace tsukimi::app {

// The marks in the size in which the part `of` of the picture is seen (pixels).
QImage clipping_marks(const QImage& picture, const QRectF& of, QSize pixels);

}  // namespace tsukimi::app
