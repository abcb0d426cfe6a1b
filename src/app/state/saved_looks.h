// The looks that are kept under a name: ours and the user's, a file each.
//
// Lives in the window's thread; files are read and written in the background.
#pragma once

#include "app/state/notices.h"
#include "app/state/task.h"
#include "document/saved_look.h"

namespace tsukimi::app {

class SavedLooks : public QObject {
  Q_OBJECT
 public:
  SavedLooks(TaskList& tasks, Notices& notices);

  const std::vector<SavedLook>& list() const { return looks_; }
  void read();  // the folder
  // Under a name of its own in the folder.
  void save(SavedLook look);
  void remove(const SavedLook& look);  // one of the user's
  void bring_in(const std::filesystem::path& file);
  void put_out(const SavedLook& look, const std::filesystem::path& file);

 signals:
  void changed();

 private:
  // Does something to files, then reads the folder.
  void work(const QString& label, std::function<Result<void>()> step, const QString& done);

  TaskList& tasks_;
  Notices& notices_;
  std::vector<SavedLook> looks_;
};

}  // namespace tsukimi::app
