#include "app/preview.h"

#include <QCoreApplication>
#include <QPointer>

#include "develop/display.h"

namespace tsukimi::app {
namespace {

constexpr std::size_t kKept = 72;  // pictures, about 100 MB

QImage to_qimage(const Encoded8& e) {
  QImage out(e.width, e.height, QImage::Format_RGB32);
  for (int y = 0; y < e.height; ++y) {
    const auto* src = e.row(y);
    auto* dst = reinterpret_cast<QRgb*>(out.scanLine(y));
    for (int x = 0; x < e.width; ++x) dst[x] = qRgb(src[3 * x], src[3 * x + 1], src[3 * x + 2]);
  }
  return out;
}

}  // namespace

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

QImage Preview::get(int frame, Kind kind, bool stale) {
  const Key key{frame, kind};
  const auto it = made_.find(key);
  const bool fresh =
      it != made_.end() && (kind == Kind::as_shot || it->second.version == session_.version());
  if (!fresh && session_.shoot().sequence.frames[frame].usable()) start(key);
  if (it == made_.end() || (!fresh && !stale)) return {};
  recent_.splice(recent_.begin(), recent_, it->second.place);
  return it->second.image;
}

void Preview::prefetch(const std::vector<int>& frames) {
  for (int f : frames) (void)get(f, Kind::developed, false);
}

void Preview::start(Key key) {
  if (running_.count(key)) {
    wanted_.insert(key);  // again when this one is done: the settings have moved on
    return;
  }
  running_.insert(key);
  const auto& shoot = session_.shoot();
  FrameSettings settings;
  if (key.kind == Kind::as_shot)
    settings.look = neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint);
  else
    settings = {session_.course().at(key.frame), session_.light().correction(key.frame), {}, {}};
  settings.crop = {};
  settings.size = key.kind == Kind::full ? shoot.sequence.size : Size{};
  const FrameInfo frame = shoot.sequence.frames[key.frame];
  const auto folder = shoot.sequence.folder;
  const QPointer<Preview> self(this);
  const quint64 version = session_.version(), epoch = epoch_;
  pool_.start([self, alive = alive_, store = session_.store(), key, settings, frame, folder,
               version, epoch] {
    if (!*alive) return;
    QImage image;
    QString why;
    if (key.kind == Kind::full) {
      if (auto sensor = read_frame(folder / frame.file))
        image = to_qimage(to_srgb8(develop_frame(std::move(*sensor), settings)));
      else
        why = QString::fromStdString(sensor.error().message);
    } else if (const auto proxy = store->get(frame)) {
      image = to_qimage(to_srgb8(develop_proxy(**proxy, settings)));
    } else {
      why = QString::fromStdString(proxy.error().message);
    }
    QMetaObject::invokeMethod(
        QCoreApplication::instance(),
        [self, key, version, epoch, image, why] {
          if (self) self->finished(key, version, epoch, image, why);
        },
        Qt::QueuedConnection);
  });
}

void Preview::finished(Key key, quint64 version, quint64 epoch, QImage image, const QString& why) {
  running_.erase(key);
  if (epoch != epoch_) return;
  if (!why.isEmpty()) {
    wanted_.erase(key);
    emit failed(key.frame, why);
    return;
  }
  if (auto it = made_.find(key); it != made_.end()) {
    it->second.image = std::move(image);
    it->second.version = version;
  } else {
    recent_.push_front(key);
    made_[key] = {std::move(image), version, recent_.begin()};
  }
  while (recent_.size() > kKept) {
    made_.erase(recent_.back());
    recent_.pop_back();
  }
  if (wanted_.erase(key) && version != session_.version()) start(key);
  emit ready(key.frame);
}

}  // namespace tsukimi::app
