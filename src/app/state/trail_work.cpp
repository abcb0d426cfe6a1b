// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/trail_work.h"

#include "document/values.h"
#include "film/checks.h"
#include "film/propose_sky.h"
#include "sky/sky_fit.h"

namespace tsukimi::app {

std::shared_ptr<const TrailFilm> ShownTrails::film(Size size) {
  const std::lock_guard lock(mutex_);
  if (!film_ || film_->size != size)
    film_ = std::make_shared<const TrailFilm>(trail_film(shoot_, courses_of(shoot_), light_, size));
  return film_;
}

std::optional<Image> ShownTrails::show(Image unfaded, int number, Size size, ProxyStore& store) {
  const auto film = this->film(size);
  if (number < 0 || number >= static_cast<int>(film->recipes.size()) ||
      !kept_->is_near(*film, number))
    return {};
  auto before = kept_->before(*film, number, store);
  if (!before) return {};
  FilmRecipe recipe = film->recipes[static_cast<std::size_t>(film->place(number))];
  if (!read_other_frames(recipe, store)) return {};
  const bool live = unfaded.size() == size;
  return finished(live ? before->show(std::move(unfaded), recipe)
                       : before->show_over(std::move(unfaded), recipe),
                  recipe);
}

bool ShownTrails::lacks(int number, Size size) {
  const auto film = this->film(size);
  return number >= 0 && number < static_cast<int>(film->recipes.size()) &&
         !kept_->is_near(*film, number);
}

Result<void> ShownTrails::prepare(int number, Size size, ProxyStore& store, const Work& work) {
  return kept_->prepare(*film(size), number, store, work);
}

TrailWork::TrailWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
                     Notices& notices)
    : document_(document), playhead_(playhead), light_(light), tasks_(tasks), notices_(notices) {
  rests_.setSingleShot(true);
  rests_.setInterval(350);
  connect(&rests_, &QTimer::timeout, this, &TrailWork::prepare);
  connect(&document_, &Document::opened, this, [this] {
    shown_.reset();
    wanted_ = -1;
    then_place_ = false;
    look_for_sky();
  });
  connect(&document_, &Document::changed, this, [this] { look_for_sky(); });
}

bool TrailWork::has_trails() const {
  return document_.is_open() && trails().kind != TrailKind::none;
}

void TrailWork::edit(const QString& text, const std::function<void(Trails&)>& change,
                     const QString& gesture) {
  if (document_.is_open())
    document_.edit(
        text, [&](Shoot& s) { change(s.decisions.trails); }, gesture);
}

int TrailWork::sky() const {
  const auto& places = document_.decisions().places;
  const auto it = std::ranges::find_if(places, &LocalPlace::sky);
  return it == places.end() ? -1 : static_cast<int>(it - places.begin());
}

void TrailWork::set_sky(int place) {
  document_.edit(tr("Sky of the star trails"), [&](Shoot& s) {
    auto& places = s.decisions.places;
    for (std::size_t i = 0; i < places.size(); ++i) places[i].sky = static_cast<int>(i) == place;
  });
}

void TrailWork::look_for_sky(bool asked) {
  if (!document_.is_open() || looking()) return;
  const Shoot& shoot = document_.shoot();
  const bool known = shoot.sky && shoot.sky->frames.size() == shoot.sequence.places.size();
  if (known || !(asked || wants_sky(shoot))) return;
  looking_ =
      tasks_.start(tr("Looking for stars"),
                   [this, copy = shoot, store = light_.store(), serial = document_.order_serial(),
                    asked](const Work& work) mutable -> TaskList::Finish {
                     know_sky(copy, *store, work, asked);
                     return [this, sky = copy.sky, serial, asked] {
                       if (!document_.is_open()) return;
                       if (serial != document_.order_serial()) return look_for_sky(asked);
                       if (!sky) return;
                       document_.learn([&](Shoot& s) { s.sky = sky; });
                       if (then_place_) place_sky();
                       emit changed();
                     };
                   });
  emit changed();
}

void TrailWork::propose_sky() {
  if (!document_.is_open()) return;
  then_place_ = true;
  look_for_sky(true);
  if (!looking()) place_sky();
}

void TrailWork::place_sky() {
  then_place_ = false;
  if (is_running(placing_)) return;
  placing_ =
      tasks_.start(tr("Finding the sky"),
                   [this, copy = document_.shoot(), store = light_.store(),
                    serial = document_.order_serial()](const Work&) -> TaskList::Finish {
                     auto place = tsukimi::propose_sky(copy, *store);
                     return [this, place = std::move(place), serial] {
                       if (!document_.is_open() || serial != document_.order_serial()) return;
                       if (!place) {
                         emit notices_.problem(QString::fromStdString(place.error().message));
                         return;
                       }
                       document_.edit(tr("Find the sky"), [&](Shoot& s) {
                         for (LocalPlace& p : s.decisions.places) p.sky = false;
                         s.decisions.places.push_back(*place);
                       });
                     };
                   });
}

std::shared_ptr<ShownTrails> TrailWork::shown() {
  if (!has_trails()) return nullptr;
  const quint64 version = document_.version() + light_.version();
  if (!shown_ || shown_version_ != version)
    shown_ = std::make_shared<ShownTrails>(document_.shoot(), light_.plan(), kept_);
  shown_version_ = version;
  return shown_;
}

void TrailWork::want(int number, Size size) {
  wanted_ = number, wanted_size_ = size;
  rests_.start();
}

void TrailWork::prepare() {
  if (wanted_ < 0 || !has_trails()) return;
  if (is_running(preparing_)) {
    preparing_->cancelled = true;  // of settings, or of a frame, that nobody waits for any more
    rests_.start();
    return;
  }
  const int number = std::exchange(wanted_, -1);
  preparing_ = tasks_.start(tr("Following star trails"),
                            [this, shown = shown(), number, size = wanted_size_,
                             store = light_.store()](const Work& work) -> TaskList::Finish {
                              const bool made =
                                  shown->prepare(number, size, *store, work).has_value();
                              return [this, made] {
                                if (made) ++serial_;
                                emit changed();
                              };
                            });
}

}  // namespace tsukimi::app
