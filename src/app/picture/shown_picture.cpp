// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/shown_picture.h"

#include "app/convert/path_text.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {
constexpr int kRest = 150;    // ms without a movement
constexpr int kRetry = 1000;  // ms until a file that could not be read is asked for again
}  // namespace

ShownPicture::ShownPicture(Session& session, Preview& preview, QObject* parent)
    : QObject(parent), session_(session), preview_(preview) {
  rest_.setSingleShot(true);
  rest_.setInterval(kRest);
  retry_.setSingleShot(true);
  retry_.setInterval(kRetry);
  connect(&rest_, &QTimer::timeout, this, &ShownPicture::to_draw);
  connect(&session_.document, &Document::changed, this, &ShownPicture::moved);
  connect(&session_.light, &LightWork::changed, this, &ShownPicture::moved);
  connect(&session_.playhead, &Playhead::frame_changed, this, &ShownPicture::moved);
  connect(&session_.playhead, &Playhead::playing_changed, this, &ShownPicture::moved);
  connect(&session_.look, &LookWork::tried_changed, this, &ShownPicture::moved);
  connect(&session_.compare, &Compare::changed, this, &ShownPicture::moved);
  connect(&session_.places, &PlaceWork::changed, this, &ShownPicture::moved);
  connect(&session_.repairs, &RepairWork::changed, this, &ShownPicture::moved);
  connect(&session_.trails, &TrailWork::changed, this, &ShownPicture::moved);
  connect(&session_.document, &Document::opened, this, [this] {
    picture_ = {};
    failed_frame_ = unfinished_ = -1;
    moved();
  });
  connect(&preview_, &Preview::ready, this, [this](int frame) {
    if (frame == failed_frame_) failed_frame_ = -1;
    if (frame == session_.playhead.frame()) emit to_draw();
  });
  connect(&preview_, &Preview::failed, this, [this](int frame, Rendering kind, const QString& why) {
    if (frame != session_.playhead.frame() || is_small(kind) || kind == Rendering::compared) return;
    (kind == Rendering::finished ? unfinished_ : failed_frame_) = frame;
    failure_ = why;
    retry_.start();
    emit to_draw();
  });
  connect(&retry_, &QTimer::timeout, this, [this] {
    if (!session_.document.is_open()) return;
    unfinished_ = -1;
    if (failed_frame_ == session_.playhead.frame()) (void)preview_.get(failed_frame_, live_kind());
    emit to_draw();
  });
}

void ShownPicture::set_before(bool on) {
  before_ = on;
  emit to_draw();
}

void ShownPicture::set_finish_at_rest(bool on) {
  finishes_ = on;
  moved();
}

void ShownPicture::moved() {
  finished_ = false;
  rest_.start();
  emit to_draw();
}

// Through the lens the live one is seen: finished ones are too large to be changed while painting.
bool ShownPicture::may_finish() const {
  return finishes_ && !session_.judging.lens() && !before_ && !rest_.isActive() &&
         !session_.playhead.playing() && !file_cannot_be_read();
}

void ShownPicture::choose() {
  const Moment now = session_.playhead.moment();
  Picture picture = preview_.get(now, live_kind());
  const bool was = std::exchange(finished_, false);
  if (may_finish())
    if (const Picture fine = preview_.get(now, Rendering::finished, false); !fine.isNull()) {
      picture = fine;
      finished_ = true;
      // Not while it is being drawn.
      if (!was) QMetaObject::invokeMethod(this, &ShownPicture::rested, Qt::QueuedConnection);
    }
  if (picture.isNull()) return;
  if (picture_.image.cacheKey() != picture.image.cacheKey())
    QMetaObject::invokeMethod(this, &ShownPicture::picture_changed, Qt::QueuedConnection);
  picture_ = picture;
}

bool ShownPicture::is_as_asked() const {
  return session_.document.is_open() &&
         !preview_.get(session_.playhead.moment(), Rendering::live, false).isNull();
}

QString ShownPicture::problem() const {
  const Moment now = session_.playhead.moment();
  if (failed_frame_ == now.frame) return failure_;
  const FrameInfo& facts = session_.document.shoot().sequence.frames[now.frame];
  const auto film = session_.document.courses().film.at(now.frame);
  const bool made = now.film >= 0 || (film && film->made());
  if (facts.usable() || (made && !before_)) return {};
  return shown_path(facts.file) + " " + QString::fromStdString(facts.problem) +
         ".\nIt is left out; everything else goes on.";
}

bool ShownPicture::file_cannot_be_read() const { return unfinished_ == session_.playhead.frame(); }

std::shared_ptr<const Histogram> ShownPicture::sensor_tones() const {
  if (!session_.document.is_open()) return {};
  return preview_.get(session_.playhead.frame(), Rendering::live).sensor;
}

}  // namespace tsukimi::app
