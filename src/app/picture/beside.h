// SPDX-License-Identifier: GPL-3.0-or-later
// Two pictures of one frame beside each other, in step: what it is compared with, and as it is now.
#pragma once

#include <QPainter>

#include "app/picture/canvas.h"
#include "app/picture/preview.h"

namespace tsukimi::app {

// Which pictures stand left: as shot is no recipe of the film.
Rendering compared_with(const Session& session);

class Beside {
 public:
  Beside(Session& session, Preview& preview) : session_(session), preview_(preview) {}
  // In a widget of this size. canvas: where one picture would lie.
  void paint(QPainter& p, QSize widget, const Canvas& canvas);

 private:
  struct Pair {
    Moment moment = 0;
    quint64 lens = 0;  // of what they were seen through
    qint64 of[2] = {};
    Picture seen[2];
  };
  // Both of the frame that is looked at; until both are there the pair before stands.
  void choose();
  Session& session_;
  Preview& preview_;
  Pair pair_;
};

}  // namespace tsukimi::app
