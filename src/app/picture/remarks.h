// SPDX-License-Identifier: GPL-3.0-or-later
// What is said about the picture, on it: why the frame stands out or is set aside, and from what
// the picture was made.
#pragma once

#include "app/picture/canvas.h"
#include "app/picture/shown_picture.h"
#include "app/state/session.h"

namespace tsukimi::app {

// Top left. before: it is shown as shot.
void paint_frame_remark(QPainter& p, const Canvas& canvas, const Session& session, bool before);
// Bottom right, in the widget of this size.
void paint_source_remark(QPainter& p, const Canvas& canvas, const Session& session,
                         const ShownPicture& shown, QSize widget);
// Words in place of a picture, in the middle of the widget.
void paint_words(QPainter& p, QSize widget, const QString& text, const QColor& pen);

}  // namespace tsukimi::app
