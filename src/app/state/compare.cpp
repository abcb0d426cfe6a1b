// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/compare.h"

namespace tsukimi::app {

Compare::Compare(Document& document, LightWork& light, Playhead& playhead, Notices& notices)
    : document_(document), light_(light), playhead_(playhead), notices_(notices) {
  connect(&document_, &Document::opened, this, [this, serial = quint64(0)]() mutable {
    if (std::exchange(serial, document_.shoot_serial()) == document_.shoot_serial()) return;
    pinned_.reset();
    version_.reset();
    courses_.reset();
    tell(With::as_shot);
  });
  connect(&light_, &LightWork::changed, this, &Compare::follow_light);
  // Its frames may lie elsewhere in time now.
  connect(&document_, &Document::changed, this, [this] {
    if (version_) courses_ = std::make_unique<Courses>(courses_of(document_.shoot(), *version_));
  });
}

void Compare::follow_light() {
  if (with_ != With::flicker || std::exchange(flickers_of_, light_.version()) == light_.version())
    return;
  flickers_ = with_its_flicker(light_.plan());
}

void Compare::tell(With with) {
  with_ = with;
  flickers_of_ = 0;
  follow_light();
  ++serial_;
  emit changed();
}

void Compare::set_with(With with) {
  if (!document_.is_open()) return;
  if (with == With::pinned && !pinned_) return pin();
  if (with == With::version && !version_) return keep_version();
  tell(with);
}

void Compare::pin() {
  if (!document_.is_open()) return;
  pinned_ = document_.shoot().sequence.id_of(playhead_.frame());
  tell(With::pinned);
  emit notices_.message(
      tr("Frame %1 is pinned: it stands left of the seam.").arg(playhead_.frame() + 1));
}

void Compare::keep_version() {
  if (!document_.is_open()) return;
  version_ = document_.decisions();
  courses_ = std::make_unique<Courses>(courses_of(document_.shoot(), *version_));
  tell(With::version);
  emit notices_.message(tr("This version of the look is kept: it stands left of the seam."));
}

int Compare::pinned() const {
  return pinned_ && document_.is_open() ? document_.shoot().sequence.place_of(*pinned_) : -1;
}

FilmRecipe Compare::recipe(int frame, const View& view) const {
  const Shoot& shoot = document_.shoot();
  // What was asked for may be asked for again when the choice has moved on.
  const bool version = with_ == With::version && courses_;
  const int of = with_ == With::pinned && pinned() >= 0 ? pinned() : frame;
  const Courses& courses = version ? *courses_ : document_.courses();
  const LightPlan& plan = with_ == With::flicker ? flickers_ : light_.plan();
  return film_recipe_without_lenses(
      shoot, courses, plan, courses.film.at(of).value_or(itself(of, courses.film.time(of))), view);
}

QString Compare::before() const {
  return with_ == With::as_shot   ? tr("as shot")
         : with_ == With::pinned  ? tr("frame %1").arg(pinned() + 1)
         : with_ == With::flicker ? tr("with its flicker")
                                  : tr("kept version");
}

QString Compare::after() const {
  return with_ == With::as_shot   ? QString("developed")
         : with_ == With::pinned  ? tr("frame %1").arg(playhead_.frame() + 1)
         : with_ == With::flicker ? tr("without")
                                  : tr("as it is now");
}

}  // namespace tsukimi::app
