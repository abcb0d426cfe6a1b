// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/checking.h"

#include <algorithm>

#include "film/film.h"

namespace tsukimi::app {

bool Checking::is_open(const Suspect& s) const {
  return !is_event(s.kind) && !is_set_aside(document_.shoot(), s.frame) &&
         !is_looked_at(document_.shoot(), s.frame);
}

int Checking::open_suspects() const {
  const auto& all = light_.suspects();
  return static_cast<int>(
      std::count_if(all.begin(), all.end(), [this](const Suspect& s) { return is_open(s); }));
}

void Checking::go_to_suspect(int direction) {
  if (!document_.is_open()) return;
  const int n = document_.shoot().frame_count();
  int best = -1, nearest = n + 1;
  for (const auto& s : light_.suspects()) {
    if (!is_open(s)) continue;
    int away = (s.frame - playhead_.frame()) * direction;
    if (away <= 0) away += n;
    if (away < nearest) nearest = away, best = s.frame;
  }
  if (best >= 0)
    playhead_.set_frame(best);
  else
    emit notices_.message(light_.measuring() ? QObject::tr("The frames are still being looked at.")
                                             : QObject::tr("No suspects are left to look at."));
}

static QString frames_text(std::size_t n, int only) {
  return n == 1 ? QObject::tr("Frame %1").arg(only + 1) : QObject::tr("%1 frames").arg(n);
}

void Checking::toggle_set_aside() {
  if (!document_.is_open()) return;
  const auto frames = playhead_.chosen();
  // Of a mixed choice all are set aside; only when all are aside already do they come back.
  const bool aside = std::any_of(frames.begin(), frames.end(),
                                 [this](int f) { return !is_set_aside(document_.shoot(), f); });
  document_.edit(aside ? QObject::tr("Set aside") : QObject::tr("Bring back"),
                 [&](Shoot& s) { set_aside(s, frames, aside); });
  emit notices_.message(frames_text(frames.size(), frames.front()) +
                        (frames.size() == 1 ? QObject::tr(" is ") : QObject::tr(" are ")) +
                        (aside ? QObject::tr("set aside.") : QObject::tr("back in the film.")));
}

void Checking::keep() {
  if (!document_.is_open()) return;
  const auto frames = playhead_.chosen();
  document_.edit(QObject::tr("Keep"), [&](Shoot& s) {
    set_aside(s, frames, false);
    for (int f : frames)
      if (light_.suspect_at(f)) look_at(s, f);
  });
}

void Checking::set_order(FrameOrder order) {
  if (!document_.is_open() || order == document_.decisions().order) return;
  document_.edit(QObject::tr("Order of frames"), [&](Shoot& s) { s.decisions.order = order; });
}

}  // namespace tsukimi::app
