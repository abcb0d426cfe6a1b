// SPDX-License-Identifier: GPL-3.0-or-later
// Things that are kept under a name, a file each: files are read and written in the background, and
// the list is read again behind every change.
//
// Lives in the window's thread.
#pragma once

#include "app/state/notices.h"
#include "app/state/task.h"

namespace tsukimi::app {

class SavedList : public QObject {
  Q_OBJECT
 public:
  SavedList(TaskList& tasks, Notices& notices) : tasks_(tasks), notices_(notices) {}

 signals:
  void changed();

 protected:
  using Step = std::function<Result<void>()>;
  // Does something to files, then reads all of them; `done` is told when nothing went wrong.
  void work(const QString& label, Step step, const QString& done);
  void remove_file(const QString& label, const std::filesystem::path& file, const QString& done);
  // In the background: reads all, names in `wrong` what is none, and gives back what takes them
  // over in the window's thread.
  virtual std::function<void()> read_all(std::vector<std::string>& wrong) = 0;

 private:
  TaskList& tasks_;
  Notices& notices_;
};

}  // namespace tsukimi::app
