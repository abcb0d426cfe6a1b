// SPDX-License-Identifier: GPL-3.0-or-later
// A folder that holds several sequences, or raw and still pictures of the same shots: which to
// open.
#pragma once

#include <QCheckBox>
#include <QDialog>

#include "app/dialogs/sequence_list.h"

namespace tsukimi::app {

class OpenDialog : public QDialog {
  Q_OBJECT
 public:
  OpenDialog(std::shared_ptr<const FolderScan> scan, double fps, QWidget* parent);

 signals:
  void open_frames(std::shared_ptr<const FolderScan> scan, const std::vector<int>& frames);
  void other_pairs(Pairs pairs);  // the user wants the other picture of every shot

 private:
  std::shared_ptr<const FolderScan> scan_;
  SequenceList* list_;
};

}  // namespace tsukimi::app
