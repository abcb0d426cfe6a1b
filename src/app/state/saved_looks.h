// SPDX-License-Identifier: GPL-3.0-or-later
// The looks that are kept under a name: ours and the user's.
#pragma once

#include "app/state/saved_list.h"
#include "document/files/saved_look.h"

namespace tsukimi::app {

class SavedLooks : public SavedList {
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

 private:
  std::function<void()> read_all(std::vector<std::string>& wrong) override;
  std::vector<SavedLook> looks_;
};

}  // namespace tsukimi::app
