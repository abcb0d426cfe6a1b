// SPDX-License-Identifier: GPL-3.0-or-later
// What of the frame is seen, how large, and where it lies in its widget.
#pragma once

#include "app/picture/canvas.h"
#include "app/picture/zoom.h"
#include "app/state/session.h"

namespace tsukimi::app {

struct PictureFit {
  const Session& session;
  QSize widget;        // its size
  double ratio = 1;    // pixels of the screen for one of the widget
  int margin = 0;      // round the picture, in pixels of the widget
  bool whole = false;  // the whole frame is seen; else what the film shows

  Placement visible() const;                                  // of the frame
  QSizeF size() const;                                        // in the widget, when it fits
  QSize pixels() const { return (size() * ratio).toSize(); }  // of the screen, when it fits
  Size natural() const;                                       // pixels of the frame that are seen
  double scale() const { return size().width() * ratio / natural().width; }  // when it fits
  // As many pixels as are seen with this zoom, and no more than there are.
  QSize finished_pixels(const Zoom& zoom) const;
  Canvas canvas(const Zoom& zoom) const;
};

}  // namespace tsukimi::app
