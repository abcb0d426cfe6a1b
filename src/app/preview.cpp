#include "app/preview.h"

#include <QCoreApplication>
#include <QPointer>

#include "develop/display.h"

namespace tsukimi::app {
namespace {

Rect within(Rect whole, Rect part) {  // the part in fractions of the whole
  return {(part.x - whole.x) / whole.w, (part.y - whole.y) / whole.h, part.w / whole.w,
          part.h / whole.h};
}

// No more pixels than the proxy has there.
Size seen_size(const Proxy& proxy, Rect part, QSize most) {
  const double w = part.w * proxy.width, h = part.h * proxy.height;
  const double scale = std::min({most.width() / w, most.height() / h, 1.0});
  return {std::max(1, static_cast<int>(std::lround(w * scale))),
          std::max(1, static_cast<int>(std::lround(h * scale)))};
}

// Pictures kept: about 100 MB of what fits the window, 60 MB of small ones; one of full size may
// take that much alone.
std::size_t most_kept(Kind kind) {
  return kind == Kind::full ? 3 : kind == Kind::thumbnail ? 500 : 72;
}

}  // namespace

QImage to_qimage(const Encoded8& e) {
  QImage out(e.width, e.height, QImage::Format_RGB32);
  for (int y = 0; y < e.height; ++y) {
    const auto* src = e.row(y);
    auto* dst = reinterpret_cast<QRgb*>(out.scanLine(y));
    for (int x = 0; x < e.width; ++x) dst[x] = qRgb(src[3 * x], src[3 * x + 1], src[3 * x + 2]);
  }
  return out;
}

Preview::Preview(Session& session)
    : session_(session), alive_(std::make_shared<std::atomic<bool>>(true)) {
  pool_.setMaxThreadCount(2);
  connect(&session_, &Session::opened, this, [this] {
    ++epoch_;
    made_.clear();
    recent_.clear();
    wanted_.clear();
  });
}

Preview::~Preview() {
  *alive_ = false;
  pool_.clear();
  pool_.waitForDone();
}

void Preview::set_view(Rect part, QSize most) {
  if (part == part_ && most == most_) return;
  part_ = part;
  most_ = most;
  ++view_;
}

Picture Preview::look_up(int frame, Kind kind, bool stale, bool ahead) {
  const Key key{frame, kind};
  const auto it = made_.find(key);
  const bool fresh = it != made_.end() &&
                     (kind == Kind::as_shot || it->second.version == session_.version()) &&
                     (kind != Kind::developed || it->second.view == view_) &&
                     (kind != Kind::full || it->second.picture.part == part_);
  const auto& shoot = session_.shoot();
  const bool made = kind != Kind::as_shot && kind != Kind::thumbnail &&
                    film_frame_at(shoot, frame).value_or(FilmFrame{}).made();
  if (!fresh && (made || shoot.sequence.frames[frame].usable())) start(key, ahead);
  if (it == made_.end() || (!fresh && !stale)) return {};
  auto& recent = recent_[kind];
  recent.splice(recent.begin(), recent, it->second.place);
  return it->second.picture;
}

void Preview::prefetch(const std::vector<int>& frames) {
  for (int f : frames) (void)look_up(f, Kind::developed, false, true);
}

void Preview::start(Key key, bool ahead) {
  if (running_.count(key)) {
    wanted_.insert(key);  // again when this one is done: the settings have moved on
    return;
  }
  running_.insert(key);
  const auto& shoot = session_.shoot();
  // A frame that is set aside shows what the film shows in its place.
  FilmRecipe recipe = film_recipe(
      shoot, session_.course(), session_.light(),
      film_frame_at(shoot, key.frame).value_or(FilmFrame{key.frame, -1, -1}), shoot.sequence.size);
  if (key.kind == Kind::as_shot) {
    recipe = {{key.frame, -1, -1}, {}, {}, 0};
    recipe.settings.look = neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint);
  }
  // Of the film's crop where that is all that is on screen: then it is what an export makes.
  const bool cut = key.kind == Kind::full || (key.kind == Kind::developed && !most_.isEmpty());
  for (auto* s : {&recipe.settings, &recipe.second}) {
    s->crop = cut ? part_ : Rect{};
    s->film = within(s->crop, shoot.decisions.framing.crop);
    s->size = key.kind == Kind::full ? natural_size(shoot.sequence.size, s->crop) : Size{};
  }
  const Rect part = recipe.settings.crop;
  // Only what developing needs; a copy of 3,000 frames' facts a picture would be too much.
  auto needed = std::make_shared<Shoot>();
  needed->sequence.folder = shoot.sequence.folder;
  for (int* f : {&recipe.film.frame, &recipe.film.before, &recipe.film.after})
    if (*f >= 0) {
      needed->sequence.frames.push_back(shoot.sequence.frames[*f]);
      *f = needed->frame_count() - 1;
    }
  const QPointer<Preview> self(this);
  const Order order{session_.version(), view_, epoch_};
  auto job = [self, alive = alive_, store = session_.store(), key, recipe, needed, order, part,
              most = most_, ahead]() mutable {
    if (!*alive) return;
    QImage image;
    QString why;
    Result<Image> made = fail("");
    if (key.kind == Kind::developed && !most.isEmpty()) {
      const FilmFrame& film = recipe.film;
      const auto proxy =
          store->get(needed->sequence.frames[film.made() ? film.before : film.frame]);
      if (proxy) recipe.settings.size = recipe.second.size = seen_size(**proxy, part, most);
    }
    auto make = [&] {
      made = key.kind == Kind::full ? develop_film_frame(*needed, recipe)
                                    : develop_film_proxy(*needed, *store, recipe);
    };
    if (key.kind == Kind::thumbnail) {
      const auto head = store->head(needed->sequence.frames[recipe.film.frame]);
      made = head ? Result<Image>(develop_proxy(head->thumbnail, recipe.settings))
                  : Result<Image>(tl::unexpected(head.error()));
    } else if (ahead) {  // several frames at once: each on a thread of its own takes less in all
      on_one_thread(make);
    } else {
      make();
    }
    if (made)
      image = to_qimage(to_srgb8(*made));
    else
      why = QString::fromStdString(made.error().message);
    QMetaObject::invokeMethod(
        QCoreApplication::instance(),
        [self, key, order, picture = Picture{image, part}, why] {
          if (self) self->finished(key, order, picture, why);
        },
        Qt::QueuedConnection);
  };
  // Small pictures wait for large ones, and the newest of them comes first: it is on screen.
  pool_.start(job, key.kind == Kind::thumbnail ? ++urgency_ : 1 << 30);
}

void Preview::finished(Key key, Order order, Picture picture, const QString& why) {
  running_.erase(key);
  if (order.epoch != epoch_) return;
  if (!why.isEmpty()) {
    wanted_.erase(key);
    emit failed(key.frame, why);
    return;
  }
  if (auto it = made_.find(key); it != made_.end()) {
    it->second.picture = std::move(picture);
    it->second.version = order.version;
    it->second.view = order.view;
  } else {
    auto& recent = recent_[key.kind];
    recent.push_front(key);
    made_[key] = {std::move(picture), order.version, order.view, recent.begin()};
    while (recent.size() > most_kept(key.kind)) {
      made_.erase(recent.back());
      recent.pop_back();
    }
  }
  if (wanted_.erase(key) && (order.version != session_.version() || order.view != view_))
    start(key);
  emit ready(key.frame);
}

}  // namespace tsukimi::app
