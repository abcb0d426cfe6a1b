// SPDX-License-Identifier: GPL-3.0-or-later
// Bring in: what is on a card, what of it to copy, and where to.
#pragma once

#include <QDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QTimer>

#include "app/dialogs/sequence_list.h"
#include "folder/card.h"

namespace tsukimi::app {

class BringInDialog : public QDialog {
  Q_OBJECT
 public:
  explicit BringInDialog(double fps, QWidget* parent = nullptr);
  void read(const std::filesystem::path& card);  // in the background

 signals:
  void brought(const std::filesystem::path& folder);  // a sequence is there, whole

 private:
  void ask_card();
  void look_for_cards();  // in the background, again and again: one may be put in
  void offer(const std::vector<std::filesystem::path>& cards);
  void ask_folder();
  void start();
  void refresh();

  double fps_;
  std::shared_ptr<const Card> card_;
  QHBoxLayout* offers_;
  std::vector<std::filesystem::path> offered_;
  bool looked_ = false;
  QLabel *title_, *notes_, *summary_, *result_;
  SequenceList* list_;
  QLineEdit* folder_;
  QProgressBar* bar_;
  QPushButton *start_, *cancel_;
  QTimer poll_, look_;
  std::shared_ptr<Task> copying_;
  TaskList tasks_;
};

}  // namespace tsukimi::app
