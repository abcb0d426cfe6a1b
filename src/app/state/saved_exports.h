// SPDX-License-Identifier: GPL-3.0-or-later
// The ways to export that are kept under a name: ours and the user's.
#pragma once

#include "app/state/document.h"
#include "app/state/saved_list.h"
#include "output/saved_export.h"

namespace tsukimi::app {

class SavedExports : public SavedList {
  Q_OBJECT
 public:
  SavedExports(Document& document, TaskList& tasks, Notices& notices);

  const std::vector<SavedExport>& list() const { return exports_; }
  void read();                           // the folder
  void apply(const SavedExport& saved);  // to the shoot that is open
  // Under a name of its own in the folder.
  void save(const SavedExport& saved);
  void remove(const SavedExport& saved);  // one of the user's
  void bring_in(const std::filesystem::path& file);
  void put_out(const SavedExport& saved, const std::filesystem::path& file);

 private:
  std::function<void()> read_all(std::vector<std::string>& wrong) override;
  Document& document_;
  std::vector<SavedExport> exports_;
};

}  // namespace tsukimi::app
