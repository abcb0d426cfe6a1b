// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/player.h"

#include "app/picture/beside.h"

#include <cmath>

namespace tsukimi::app {
namespace {
constexpr int kTick = 4;       // ms
constexpr int kWindow = 1000;  // ms in which shown frames are counted
constexpr int kStill = 400;    // ms without a picture in time, after which the playhead goes alone
constexpr int kAhead = 36;     // steps that are looked ahead
constexpr int kAtOnce = 10;    // pictures that are asked for at once
}  // namespace

Player::Player(Session& session, Preview& preview) : session_(session), preview_(preview) {
  timer_.setTimerType(Qt::PreciseTimer);
  connect(&timer_, &QTimer::timeout, this, &Player::tick);
  connect(&preview_, &Preview::ready, this, [this] { ++made_; });
  connect(&session_.document, &Document::opened, this, [this] {
    if (playing()) toggle();
  });
}

void Player::set_round(Round round) {
  round_ = round;
  if (playing()) toggle(), toggle();
  emit changed();
}

void Player::list_frames() {
  const auto& frames = session_.document.shoot().sequence.frames;
  const FilmFrames& film = session_.document.courses().film;
  const Moment here = session_.playhead.moment();
  const double now = here.film >= 0 ? here.film : film.time(here.frame);
  film_.clear();
  first_ = 0;
  for (int k = 0; k < film.count(); ++k) {
    const FilmFrame f = film[k];
    if (!f.made() && !frames[static_cast<std::size_t>(f.parts[0].frame)].usable()) continue;
    if (k <= now + 1e-6) first_ = static_cast<int>(film_.size());
    // What is seen where a frame stands is the same picture.
    const bool plain = film.at(f.frame) == f;
    film_.push_back({f.frame, plain ? -1 : k});
  }
  if (round_ == Round::once && first_ + 1 >= static_cast<int>(film_.size())) first_ = 0;
}

void Player::toggle() {
  if (!session_.document.is_open()) return;
  if (playing()) {
    timer_.stop();
  } else {
    list_frames();
    if (film_.empty()) return;
    step_ = -1;
    shown_ = made_ = 0;
    measured_ = 0;
    version_ = session_.version();
    clock_.start();
    shown_last_.start();
    shown_since_.start();
    made_since_.start();
    timer_.start(kTick);
  }
  session_.playhead.set_playing(playing());
  emit changed();
}

std::optional<Moment> Player::moment_at(qint64 step) const {
  const auto n = static_cast<qint64>(film_.size());
  qint64 i = first_ + step;
  switch (round_) {
    case Round::loop:
      i %= n;
      break;
    case Round::to_and_fro: {
      const qint64 period = std::max<qint64>(1, 2 * (n - 1));
      i %= period;
      if (i >= n) i = period - i;
      break;
    }
    case Round::once:
      if (i >= n) return {};
      break;
  }
  return film_[static_cast<std::size_t>(i)];
}

bool Player::is_there(const Moment& moment) const {
  return preview_.has(moment, Rendering::live) &&
         (!session_.judging.beside() || preview_.has(moment, compared_with(session_)));
}

bool Player::is_ready(const Moment& moment) const {
  const bool live = !preview_.get(moment, Rendering::live, false).isNull();
  return (!session_.judging.beside() ||
          !preview_.get(moment, compared_with(session_), false).isNull()) &&
         live;
}

// Of the steps ahead those that can be made before their moment at the pace that is reached.
void Player::ask_ahead(qint64 step) {
  const int each = session_.judging.beside() ? 2 : 1;  // pictures a step
  std::vector<Moment> wanted;
  for (qint64 k = 1; k <= kAhead && static_cast<int>(wanted.size()) < kAtOnce; ++k) {
    const auto moment = moment_at(step + k);
    if (!moment) break;
    if (is_there(*moment)) continue;
    const double in_time = static_cast<double>(k) / fps() * pace_ / each;
    if (static_cast<double>(wanted.size()) + 1 <= in_time) wanted.push_back(*moment);
  }
  idle_ |= wanted.empty();
  preview_.prefetch(wanted);
  if (session_.judging.beside()) preview_.prefetch(wanted, compared_with(session_));
}

void Player::measure_pace() {
  constexpr int kPaceWindow = 400;
  if (made_since_.elapsed() < kPaceWindow) return;
  const double made = 1000.0 * made_ / static_cast<double>(made_since_.restart());
  // Where there was always something to make, it is what can be reached; else at least that.
  pace_ = idle_ ? std::max(pace_, made) : std::max(2.0, 0.5 * (pace_ + made));
  made_ = 0;
  idle_ = false;
}

void Player::tick() {
  if (version_ != session_.version()) {  // what belongs to the film may be other frames
    version_ = session_.version();
    const std::vector<Moment> before = film_;
    const int first = first_;
    list_frames();
    if (film_.empty()) return toggle();
    if (film_ == before) {
      first_ = first;  // a ruler that is dragged does not hold the film up
    } else {
      clock_.restart();
      step_ = -1;
    }
  }
  measure_pace();
  const auto step = static_cast<qint64>(static_cast<double>(clock_.elapsed()) * fps() / 1000.0);
  const bool fresh = step != step_;
  if (fresh) {
    step_ = step;
    seen_ = false;
    ask_ahead(step);
  }
  const auto moment = moment_at(step);
  if (!moment) {  // over: at its last frame, whatever was skipped
    session_.playhead.set_moment(film_.back());
    return toggle();
  }
  if (!seen_ && is_ready(*moment)) {
    seen_ = true;
    ++shown_;
    shown_last_.start();
    session_.playhead.set_moment(*moment);
  } else if (fresh && shown_last_.elapsed() > kStill) {
    session_.playhead.set_moment(*moment);  // time goes on, whatever can be shown of it
  }
  if (shown_since_.elapsed() >= kWindow) {
    measured_ = 1000.0 * shown_ / static_cast<double>(shown_since_.restart());
    shown_ = 0;
    emit changed();
  }
}

}  // namespace tsukimi::app
