// SPDX-License-Identifier: GPL-3.0-or-later
// What the window works on, by concern. Each part is a class of its own; those further down know
// those above them and follow their signals, never the other way round.
//
// Everything here lives in the window's thread.
#pragma once

#include "app/state/area_work.h"
#include "app/state/checking.h"
#include "app/state/compare.h"
#include "app/state/exports.h"
#include "app/state/folder_work.h"
#include "app/state/framing_work.h"
#include "app/state/judging.h"
#include "app/state/key_work.h"
#include "app/state/light_work.h"
#include "app/state/look_work.h"
#include "app/state/opener.h"
#include "app/state/place_work.h"
#include "app/state/playhead.h"
#include "app/state/repair_work.h"
#include "app/state/saved_exports.h"
#include "app/state/saved_looks.h"
#include "app/state/stack_work.h"
#include "app/state/tones_over_time.h"
#include "app/state/trail_work.h"

namespace tsukimi::app {

struct Session {
  // Work in the background and exports are the window's: an export is not part of what is open.
  Session(TaskList& work, ExportQueue& queue);
  ~Session();

  TaskList& tasks;
  Notices notices;
  Document document{tasks, notices};
  Opener opener{document, tasks, notices};
  Playhead playhead{document};
  LightWork light{document, tasks};
  FolderWork folder{document, light, tasks, notices};
  Checking checking{document, playhead, light, notices};
  KeyWork keys{document, playhead, light, tasks, notices};
  PlaceWork places{document, playhead, keys, notices};
  FramingWork framing{document, playhead, keys, notices};
  RepairWork repairs{document, playhead, light, tasks, notices};
  LookWork look{document, playhead, light, tasks, notices};
  SavedLooks looks{tasks, notices};
  SavedExports saved_exports{document, tasks, notices};
  TonesOverTime tones{document, light};
  Compare compare{document, light, playhead, notices};
  Judging judging{document, light, tasks};
  AreaWork areas{document};
  StackWork stack{document, playhead, light, tasks};
  TrailWork trails{document, playhead, light, tasks, notices};
  Exports exports;

  // Calls `show` when what is open, decided, measured, looked at or exported has changed: for
  // widgets, which redraw all that they show. Ends with the receiver.
  void on_change(QObject* receiver, const std::function<void()>& show);

  // Grows with everything that changes what frames look like.
  quint64 version() const {
    return document.version() + light.version() + look.version() + compare.serial() +
           places.serial() + repairs.serial() + trails.serial();
  }
};

}  // namespace tsukimi::app
