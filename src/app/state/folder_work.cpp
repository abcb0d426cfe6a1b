// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/folder_work.h"

#include <algorithm>

#include "film/checks.h"

namespace tsukimi::app {

FolderWork::FolderWork(Document& document, LightWork& light, TaskList& tasks, Notices& notices)
    : document_(document), light_(light), tasks_(tasks), notices_(notices) {
  connect(&watch_timer_, &QTimer::timeout, this, &FolderWork::look_for_frames);
  away_timer_.setInterval(2000);
  connect(&away_timer_, &QTimer::timeout, this, &FolderWork::look_for_frames_that_were_away);
  connect(&document_, &Document::opened, this, [this] {
    if (std::exchange(shoot_serial_, document_.shoot_serial()) != document_.shoot_serial()) {
      watch(false);
      for (const auto& task : {searching_, seeking_})
        if (task) task->cancelled = true;
    }
    look_for_hot_pixels();
    look_for_motion();
  });
  connect(&document_, &Document::changed, this, &FolderWork::look_for_hot_pixels);
  connect(&document_, &Document::changed, this, &FolderWork::look_for_motion);
  connect(&light_, &LightWork::changed, this, [this] {
    if (!away_timer_.isActive()) away_timer_.start();
  });
}

void FolderWork::watch(bool on) {
  if (!on || !document_.is_open()) {
    watch_timer_.stop();
    watch_.reset();
    return;
  }
  watch_ = std::make_shared<FolderWatch>(FolderWatch::of(document_.shoot().sequence));
  watch_timer_.start(700);
}

void FolderWork::look_for_frames() {
  if (is_running(looking_) || !watch_) return;
  looking_ = tasks_.start(
      tr("Watching"),
      [this, watch = watch_, serial = document_.order_serial()](const Work&) -> TaskList::Finish {
        auto found = std::make_shared<std::vector<FrameInfo>>(watch->look());
        return [this, found, watch, serial] {
          if (found->empty() || serial != document_.order_serial() || watch != watch_) return;
          const int before = document_.shoot().frame_count();
          const auto count = found->size();
          document_.append(std::move(*found));
          emit frames_joined(before);
          emit notices_.message(
              tr("%1 new %2 joined the shoot.").arg(count).arg(count == 1 ? "frame" : "frames"));
        };
      },
      false);
}

// A drive that slept, no permission yet: such frames come back by themselves.
void FolderWork::look_for_frames_that_were_away() {
  if (!document_.is_open() || is_running(seeking_) || light_.measuring()) return;
  const auto& sequence = document_.shoot().sequence;
  std::vector<int> away;
  for (int i = 0; i < document_.shoot().frame_count(); ++i)
    if (sequence.frames[i].away) away.push_back(i);
  if (away.empty()) return away_timer_.stop();
  seeking_ = tasks_.start(
      tr("Looking for frames"),
      [this, away, copy = sequence,
       serial = document_.order_serial()](const Work& work) -> TaskList::Finish {
        std::vector<std::pair<int, FrameInfo>> back;
        for (int i : away) {
          if (work.stop()) return {};
          auto info = read_again(copy.folder, copy.frames[i]);
          if (info.usable()) back.emplace_back(i, std::move(info));
        }
        if (back.empty()) return {};
        return [this, back, serial] {
          if (serial != document_.order_serial()) return;
          document_.learn([&](Shoot& s) {
            for (const auto& [i, info] : back) s.sequence.put(i, info);
            find_facts(s.sequence);
          });
          light_.measure_again();
        };
      },
      false);
}

void FolderWork::look_for_hot_pixels() {
  if (document_.shoot().hot_pixels || is_running(searching_)) return;
  if (!is_used(document_.decisions(), Param::hot_pixels)) return;
  searching_ =
      tasks_.start(tr("Looking for hot pixels"),
                   [this, copy = document_.shoot(), serial = document_.shoot_serial()](
                       const Work& work) mutable -> TaskList::Finish {
                     know_hot_pixels(copy, work);
                     return [this, hot = copy.hot_pixels, serial] {
                       // They are the sensor's, whatever order the frames have now; another shoot
                       // has others.
                       if (serial != document_.shoot_serial()) return look_for_hot_pixels();
                       if (!hot) return;
                       document_.learn([&](Shoot& s) { s.hot_pixels = hot; });
                       emit notices_.message(tr("%1 hot pixels were found.").arg(hot->size()));
                     };
                   });
}

void FolderWork::look_for_motion() {
  if (is_running(moving_) || !lacks_motion(document_.shoot())) return;
  moving_ = tasks_.start(
      tr("Measuring how the camera moved"),
      [this, copy = document_.shoot(), store = light_.store(),
       serial = document_.order_serial()](const Work& work) mutable -> TaskList::Finish {
        know_motion(copy, *store, work);
        return [this, known = copy.motion, serial] {
          if (serial != document_.order_serial()) return look_for_motion();
          if (!known) return;
          document_.learn([&](Shoot& s) { s.motion = known; });
        };
      });
}

}  // namespace tsukimi::app
