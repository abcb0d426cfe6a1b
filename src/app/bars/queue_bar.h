// SPDX-License-Identifier: GPL-3.0-or-later
// At the start: exports that were not finished, when nobody works on them.
#pragma once

#include <QLabel>
#include <QWidget>

#include "app/state/export_queue.h"

namespace tsukimi::app {

class QueueBar : public QWidget {
  Q_OBJECT
 public:
  explicit QueueBar(ExportQueue& queue, QWidget* parent = nullptr);

 private:
  void offer();
  bool ran_ = false;  // while this window was there
  ExportQueue& queue_;
  QLabel* words_;
};

}  // namespace tsukimi::app
