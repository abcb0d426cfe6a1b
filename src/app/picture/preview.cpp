// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/preview.h"
#include "app/convert/qimage.h"

#include <QCoreApplication>
#include <QPointer>

#include "base/memory.h"
#include "develop/display.h"
#include "develop/wide_light.h"
#include "film/film.h"
#include "measure/histogram.h"

namespace tsukimi::app {
namespace {

// No more pixels than the proxy has there.
Size seen_size(const Proxy& proxy, const Placement& part, QSize most) {
  const double w = std::hypot(part.right.x * proxy.width, part.right.y * proxy.height),
               h = std::hypot(part.down.x * proxy.width, part.down.y * proxy.height);
  const double scale = std::min({most.width() / w, most.height() / h, 1.0});
  return {std::max(1, static_cast<int>(std::lround(w * scale))),
          std::max(1, static_cast<int>(std::lround(h * scale)))};
}

constexpr int kThreads = 2;

// How many of a kind may wait: what playing asks ahead, or what a contact sheet shows at once.
std::size_t most_waiting(Rendering kind) { return kind == Rendering::thumbnail ? 80 : 12; }

constexpr qint64 kMB = 1 << 20;

struct Developed {
  Image image;
  std::shared_ptr<const Histogram> sensor;
  bool lacks_trail = false;
};

// With its trail, if that is there already.
Developed with_trail(Image unfaded, int number, Size size, ShownTrails& trails, ProxyStore& store,
                     const FilmRecipe& recipe) {
  if (trails.lacks(number, size)) return {finished(std::move(unfaded), recipe), {}, true};
  if (auto whole = trails.show(unfaded, number, size, store)) return {std::move(*whole), {}, false};
  return {finished(std::move(unfaded), recipe), {}, true};
}

// The look as it would be without its tone curves.
void leave_out_curves(Look& look) {
  for (int p = static_cast<int>(Param::tone_curve); p < kLook.count; ++p)
    look[Param{p}] = info(Param{p}).preset;
}

}  // namespace

Preview::Preview(Session& session)
    : session_(session), alive_(std::make_shared<std::atomic<bool>>(true)) {
  pool_.setMaxThreadCount(kThreads);
  kept(Rendering::thumbnail).most = 60 * kMB;
  set_memory(memory_by_what_is_free());
  connect(&session_.document, &Document::opened, this, [this] {
    ++epoch_;
    made_.clear();
    for (Kept& k : kept_) k.recent.clear(), k.bytes = 0;
    wanted_.clear();
    waiting_.clear();
  });
}

qint64 Preview::memory_by_what_is_free() {
  return std::clamp(static_cast<qint64>(free_memory() / 8), 200 * kMB, 2000 * kMB);
}

Preview::~Preview() {
  *alive_ = false;
  pool_.clear();
  pool_.waitForDone();
}

void Preview::set_view(bool whole_frame, QSize live, QSize finished) {
  if (whole_frame == whole_frame_ && live == live_ && finished == finished_) return;
  whole_frame_ = whole_frame;
  live_ = live;
  finished_ = finished;
  ++view_;
}

Preview::Asked Preview::asked(Key key) const {
  const auto& shoot = session_.document.shoot();
  if (key.kind == Rendering::as_shot) return {as_shot_recipe(shoot, key.moment.frame), {}, false};
  // A frame that is set aside shows what the film shows in its place; small, it shows itself.
  const FilmFrames& frames = session_.document.courses().film;
  const int frame = key.moment.frame;
  const FilmFrame alone = itself(frame, frames.time(frame));
  const FilmFrame film = is_small(key.kind) ? alone
                         : key.moment.film >= 0 && key.moment.film < frames.count()
                             ? frames[key.moment.film]
                             : frames.at(frame).value_or(alone);
  // Of the film's crop where that is all that is on screen: then it is what an export makes.
  const bool compared = key.kind == Rendering::compared, finished = key.kind == Rendering::finished,
             live = (key.kind == Rendering::live || compared) && !live_.isEmpty();
  View view{whole_frame_ || !(finished || live), {}, {}};
  if (finished) view.size = {finished_.width(), finished_.height()};
  const bool wide = has_wide_light(shoot.decisions);
  if (compared) return {session_.compare.recipe(key.moment.frame, view), live_, wide};
  Asked out{film_recipe_without_lenses(shoot, session_.document.courses(), session_.light.plan(),
                                       film, view),
            live ? live_ : QSize(), wide};
  if (out.recipe.trail && (live || finished)) {
    out.number = static_cast<int>(std::lround(film.time));
    out.trails = session_.trails.shown();
  } else {
    out.recipe.trail.reset();
  }
  if (const auto& tried = session_.look.tried();
      tried && key.moment.frame == session_.playhead.frame() && !is_small(key.kind))
    for (Take& t : out.recipe.takes) {
      t.picture.look = *tried;
      std::ranges::copy(session_.look.tried_places(), std::back_inserter(t.picture.places));
    }
  const auto& places = session_.places;
  if (places.veil() && places.working() && (live || finished))
    for (Take& t : out.recipe.takes) {
      t.picture.veil = places.at(key.moment.frame);
      if (t.picture.veil) choose_guides(shoot, *t.picture.veil);
    }
  if (session_.repairs.hidden() && (live || finished))
    for (Take& t : out.recipe.takes) t.picture.repairs.clear();
  if (key.kind == Rendering::before_curve) leave_out_curves(out.recipe.takes.front().picture.look);
  return out;
}

bool Preview::is_fresh(Key key, Made& made) const {
  const quint64 version = session_.version() + view_;
  if (made.without_trail && made.without_trail != session_.trails.serial() + 1) return false;
  if (made.version == version) return true;
  if (made.asked != asked(key)) return false;
  made.version = version;  // something has changed, but not for this picture
  return true;
}

Picture Preview::latest(int frame, Rendering kind) const {
  const auto it = made_.find({frame, kind});
  return it == made_.end() ? Picture() : it->second.picture;
}

bool Preview::has(Moment moment, Rendering kind) {
  const auto it = made_.find({moment, kind});
  return it != made_.end() && is_fresh(it->first, it->second);
}

Picture Preview::look_up(Moment moment, Rendering kind, bool stale, bool ahead) {
  const Key key{moment, kind};
  const int frame = moment.frame;
  const auto it = made_.find(key);
  const bool fresh = it != made_.end() && is_fresh(key, it->second);
  const auto& shoot = session_.document.shoot();
  const bool made =
      kind != Rendering::as_shot && !is_small(kind) &&
      (moment.film >= 0 || session_.document.courses().film.at(frame).value_or(FilmFrame{}).made());
  if (!fresh && (made || shoot.sequence.frames[frame].usable())) ask({key, ahead});
  if (it == made_.end() || (!fresh && !stale)) return {};
  auto& recent = kept(kind).recent;
  recent.splice(recent.begin(), recent, it->second.place);
  return it->second.picture;
}

void Preview::prefetch(const std::vector<Moment>& moments, Rendering kind) {
  // The first of them is needed first: it is asked for last.
  for (auto f = moments.rbegin(); f != moments.rend(); ++f) (void)look_up(*f, kind, false, true);
}

void Preview::ask(Request request) {
  if (running_.count(request.key)) {
    wanted_.insert(request.key);  // again when this one is done: the settings have moved on
    return;
  }
  const Rendering kind = request.key.kind;
  waiting_.remove_if([&](const Request& r) { return r.key == request.key; });
  // Thumbnails wait for large pictures; of each sort the newest comes first.
  const auto place = std::find_if(waiting_.begin(), waiting_.end(), [&](const Request& r) {
    return !is_small(kind) || is_small(r.key.kind);
  });
  waiting_.insert(place, request);
  std::size_t n = 0;
  for (auto it = waiting_.begin(); it != waiting_.end();)
    it = it->key.kind == kind && ++n > most_waiting(kind) ? waiting_.erase(it) : std::next(it);
  dispatch();
}

void Preview::dispatch() {
  while (!waiting_.empty() && running_.size() < kThreads) {
    const Request next = waiting_.front();
    waiting_.pop_front();
    start(next);
  }
}

void Preview::start(const Request& request) {
  const Key key = request.key;
  const bool ahead = request.ahead;
  running_.insert(key);
  const Asked asked = this->asked(key);
  const QPointer<Preview> self(this);
  const Order order{asked, session_.version() + view_, epoch_};
  // What the sensor saw does not change with the look.
  const auto before = made_.find(key);
  const auto known = before == made_.end() ? nullptr : before->second.picture.sensor;
  // Throws nothing: what goes wrong is told on the picture.
  auto make = [store = session_.light.store(), lenses = session_.document.shoot().lenses,
               kind = key.kind, recipe = asked.recipe, most = asked.most, ahead, known,
               trails = asked.trails, number = asked.number,
               trail_most = live_]() mutable -> Result<Developed> {
    find_lenses(recipe, *lenses);  // the first time that takes long
    const FrameInfo& first = recipe.first().source.info;
    auto developed = [](Result<Image> image) -> Result<Developed> {
      if (!image) return tl::unexpected(image.error());
      return Developed{std::move(*image), {}};
    };
    if (is_small(kind)) {
      const auto head = store->head(first);
      if (!head) return tl::unexpected(head.error());
      return Developed{develop_proxy(head->thumbnail, recipe.first()), {}};
    }
    // Trails are of proxies, as large as the live picture.
    auto shown = [&](Result<Image> unfaded) -> Result<Developed> {
      if (!unfaded) return tl::unexpected(unfaded.error());
      const auto proxy = store->get(first);
      if (!proxy) return Developed{tsukimi::finished(std::move(*unfaded), recipe), {}, true};
      const Size size = seen_size(**proxy, recipe.first().placement, trail_most);
      return with_trail(std::move(*unfaded), number, size, *trails, *store, recipe);
    };
    if (kind == Rendering::finished)
      return trails ? shown(develop_film_frame(unfaded(recipe)))
                    : developed(develop_film_frame(recipe));
    std::shared_ptr<const Histogram> sensor = known;
    if (!most.isEmpty())
      if (const auto proxy = store->get(first)) {
        if (!sensor) sensor = std::make_shared<Histogram>(sensor_histogram_of(**proxy));
        for (Take& t : recipe.takes)
          t.picture.placement.size = seen_size(**proxy, t.picture.placement, most);
      }
    Result<Image> out = fail("");
    auto develop = [&] { out = develop_film_proxy(*store, trails ? unfaded(recipe) : recipe); };
    ahead ? on_one_thread(develop) : develop();
    auto live = trails ? shown(std::move(out)) : developed(std::move(out));
    if (live) live->sensor = std::move(sensor);
    return live;
  };
  pool_.start([self, alive = alive_, key, order, make]() mutable {
    if (!*alive) return;
    Picture picture;
    QString why;
    try {
      if (Result<Developed> made = make()) {
        if (order.asked.wide) bring_into_range(made->image);
        const Encoded8 encoded = to_srgb8(made->image);
        picture = {
            to_qimage(encoded), order.asked.recipe.first().placement,
            std::make_shared<Histogram>(histogram_of(encoded, key.kind == Rendering::live ? 2 : 1)),
            made->sensor, made->lacks_trail};
      } else {
        why = QString::fromStdString(made.error().message);
      }
    } catch (...) {
      why = QString::fromStdString(
          error_of(std::current_exception(), "This picture cannot be made").message);
    }
    QMetaObject::invokeMethod(
        QCoreApplication::instance(),
        [self, key, order, picture, why] {
          if (self) self->finished(key, order, picture, why);
        },
        Qt::QueuedConnection);
  });
}

void Preview::keep(Key key, Made made) {
  auto& [recent, bytes, most] = kept(key.kind);
  auto forget = [&](auto it) {
    bytes -= it->second.picture.image.sizeInBytes();
    recent.erase(it->second.place);
    made_.erase(it);
  };
  if (const auto it = made_.find(key); it != made_.end()) forget(it);
  recent.push_front(key);
  made.place = recent.begin();
  bytes += made.picture.image.sizeInBytes();
  made_[key] = std::move(made);
  while (bytes > most && recent.size() > 1) forget(made_.find(recent.back()));
}

void Preview::finished(Key key, const Order& order, Picture picture, const QString& why) {
  running_.erase(key);
  if (order.epoch != epoch_) {
    // Of the shoot before. What has the same name in this one was asked for while it was made.
    if (wanted_.erase(key)) ask({key, false});
    return dispatch();
  }
  if (!why.isEmpty()) {
    wanted_.erase(key);
    dispatch();
    emit failed(key.moment.frame, key.kind, why);
    return;
  }
  const bool lacks = picture.lacks_trail;
  const QSize size = picture.image.size();
  keep(key, {std::move(picture),
             order.asked,
             order.version,
             lacks ? session_.trails.serial() + 1 : 0,
             {}});
  // A trail is made of pictures as large as the live one.
  if (lacks && key.kind == Rendering::live && key.moment.frame == session_.playhead.frame())
    session_.trails.want(order.asked.number, {size.width(), size.height()});
  if (wanted_.erase(key) && !is_fresh(key, made_.at(key))) ask({key, false});
  dispatch();
  emit ready(key.moment.frame);
}

}  // namespace tsukimi::app
