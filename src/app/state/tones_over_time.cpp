// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/tones_over_time.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThread>
#include <mutex>

namespace tsukimi::app {

// One way through all frames, on copies.
struct TonesOverTime::Pass {
  Shoot shoot;
  LightPlan plan;
  std::shared_ptr<ProxyStore> store;
  std::vector<std::shared_ptr<const Column>> known;
  std::optional<Courses> courses;
  std::once_flag prepare;
  std::vector<int> frames;  // coarse first
  std::atomic<int> next{0}, working{0};
  std::atomic<bool> newer{false}, given_up{false};
  std::mutex mutex;
  std::vector<std::pair<int, std::shared_ptr<const Column>>> made;  // not taken yet

  // A drag makes a newer one wanted all the time: this one is coarse at least.
  static constexpr int kCoarse = 24;
  bool stop() const { return given_up || (newer && next > kCoarse); }

  void run() {
    std::call_once(prepare, [this] { courses.emplace(courses_of(shoot)); });
    while (!stop()) {
      const int i = next++;
      if (i >= static_cast<int>(frames.size())) break;
      const int frame = frames[static_cast<std::size_t>(i)];
      if (!shoot.sequence.frames[static_cast<std::size_t>(frame)].usable()) continue;
      FilmRecipe recipe = tone_recipe(shoot, *courses, plan, frame);
      auto column = known[static_cast<std::size_t>(frame)];
      if (!column || column->recipe != recipe) {
        find_lenses(recipe, *shoot.lenses);
        const auto tones = tones_of(*store, recipe);
        if (!tones) continue;
        for (Take& t : recipe.takes) t.picture.lens.reset();  // as it is compared
        column = std::make_shared<Column>(Column{std::move(recipe), *tones});
      }
      const std::lock_guard lock(mutex);
      made.emplace_back(frame, std::move(column));
    }
  }
};

TonesOverTime::TonesOverTime(Document& document, LightWork& light)
    : document_(document), light_(light) {
  pool_.setMaxThreadCount(std::clamp(QThread::idealThreadCount(), 1, 4));
  poll_.setInterval(60);
  connect(&poll_, &QTimer::timeout, this, &TonesOverTime::take);
  connect(&document_, &Document::opened, this, &TonesOverTime::follow);
  connect(&document_, &Document::changed, this, &TonesOverTime::follow);
  connect(&light_, &LightWork::changed, this, &TonesOverTime::follow);
}

TonesOverTime::~TonesOverTime() {
  if (running_) running_->given_up = true;
  pool_.waitForDone();
}

void TonesOverTime::set_on(bool on) {
  if (on == on_) return;
  on_ = on;
  if (on) return follow();
  if (running_) running_->given_up = true;
  again_ = false;
  emit changed();
}

const ToneColumn* TonesOverTime::at(int frame) const {
  if (!on_ || frame < 0 || frame >= static_cast<int>(nearest_.size())) return nullptr;
  const int from = nearest_[static_cast<std::size_t>(frame)];
  return from < 0 ? nullptr : &columns_[static_cast<std::size_t>(from)]->tones;
}

void TonesOverTime::follow() {
  fresh_ = false;
  if (order_ != document_.order_serial()) {
    order_ = document_.order_serial();
    if (running_) running_->given_up = true;
    columns_.clear();
    nearest_.clear();
  }
  if (!on_ || !document_.is_open()) return;
  again_ = true;
  if (running_)
    running_->newer = true;
  else
    start();
}

void TonesOverTime::start() {
  again_ = false;
  const auto count = static_cast<std::size_t>(document_.shoot().frame_count());
  columns_.resize(count);
  nearest_.resize(count, -1);
  running_ = std::make_shared<Pass>();
  running_->shoot = document_.shoot();
  running_->plan = light_.plan();
  running_->store = light_.store();
  running_->known = columns_;
  running_->frames = coarse_first(static_cast<int>(count));
  const QPointer<TonesOverTime> self(this);
  const int threads = pool_.maxThreadCount();
  running_->working = threads;
  for (int i = 0; i < threads; ++i)
    pool_.start([self, pass = running_] {
      stand_back();
      try {
        on_one_thread([&] { pass->run(); });
      } catch (...) {  // a frame that cannot be shown has no column
      }
      if (--pass->working == 0)
        QMetaObject::invokeMethod(
            QCoreApplication::instance(),
            [self, pass] {
              if (self && self->running_ == pass) self->ended();
            },
            Qt::QueuedConnection);
    });
  poll_.start();
}

void TonesOverTime::take() {
  std::vector<std::pair<int, std::shared_ptr<const Column>>> made;
  {
    const std::lock_guard lock(running_->mutex);
    made.swap(running_->made);
  }
  if (made.empty() || running_->given_up || columns_.size() != running_->known.size()) return;
  for (auto& [frame, column] : made) columns_[static_cast<std::size_t>(frame)] = std::move(column);
  // Between columns the nearest one stands.
  const int n = static_cast<int>(columns_.size());
  int last = -1;
  for (int i = 0; i < n; ++i) {
    if (columns_[static_cast<std::size_t>(i)]) last = i;
    nearest_[static_cast<std::size_t>(i)] = last;
  }
  last = -1;
  for (int i = n - 1; i >= 0; --i) {
    if (columns_[static_cast<std::size_t>(i)]) last = i;
    int& here = nearest_[static_cast<std::size_t>(i)];
    if (last >= 0 && (here < 0 || last - i < i - here)) here = last;
  }
  emit changed();
}

void TonesOverTime::ended() {
  take();
  poll_.stop();
  const bool whole = running_->next >= static_cast<int>(running_->frames.size());
  running_.reset();
  if (again_ && on_) return start();
  fresh_ = whole && on_;
  emit changed();
}

}  // namespace tsukimi::app
