// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/session.h"

namespace tsukimi::app {

Session::Session(TaskList& work, ExportQueue& queue)
    : tasks(work), exports(document, queue, notices) {
  QObject::connect(&queue, &ExportQueue::problem, &notices, &Notices::problem);
  QObject::connect(&tasks, &TaskList::problem, &notices, &Notices::problem);
  // Who looks at the last frame while a camera shoots wants to see the newest.
  QObject::connect(&folder, &FolderWork::frames_joined, &playhead, [this](int before) {
    if (playhead.frame() == before - 1) playhead.set_frame(document.shoot().frame_count() - 1);
  });
}

void Session::on_change(QObject* receiver, const std::function<void()>& show) {
  QObject::connect(&document, &Document::opened, receiver, show);
  QObject::connect(&document, &Document::changed, receiver, show);
  QObject::connect(&light, &LightWork::changed, receiver, show);
  QObject::connect(&playhead, &Playhead::frame_changed, receiver, show);
  QObject::connect(&trails, &TrailWork::changed, receiver, show);
  QObject::connect(&exports, &Exports::finished, receiver, show);
}

// Nothing that runs may come back to a part that is gone.
Session::~Session() { tasks.finish_all(); }

}  // namespace tsukimi::app
