// SPDX-License-Identifier: GPL-3.0-or-later
// The sequences that were found in a folder or on a card: first and last picture, count, length,
// interval and why each begins where it does; they can be merged, split and their bounds moved.
#pragma once

#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QWidget>

#include "app/state/task.h"
#include "folder/sequence.h"

namespace tsukimi::app {

class SequenceList : public QWidget {
  Q_OBJECT
 public:
  // `choose`: several may be ticked (bringing in); else one is picked (opening).
  SequenceList(bool choose, QWidget* parent = nullptr);
  void show_scan(const FolderScan& scan, double fps);
  const std::vector<Part>& parts() const { return parts_; }
  std::vector<int> chosen() const;  // indices into parts()

 signals:
  void changed();
  void activated();  // double-click

 private:
  void rebuild(int current);
  void load_pictures();
  QString words(const Part& part) const;

  bool choose_;
  FolderScan scan_;
  std::vector<Part> parts_;
  double fps_ = 24;
  QListWidget* list_;
  QPushButton *merge_, *split_, *move_;
  QSpinBox* count_;
  std::map<int, QImage> pictures_;  // by frame
  TaskList tasks_;
};

}  // namespace tsukimi::app
