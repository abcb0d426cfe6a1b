// SPDX-License-Identifier: GPL-3.0-or-later
// The line at the top: what is open, what it becomes, and the work in the background.
#pragma once

#include <QLabel>
#include <QProgressBar>
#include <QToolButton>
#include <QWidget>

#include "app/state/session.h"

namespace tsukimi::app {

class FactsBar : public QWidget {
  Q_OBJECT
 public:
  explicit FactsBar(Session& session, QWidget* parent = nullptr);
  // In place of the facts, for some seconds.
  void show_message(const QString& text);
  QString message() const { return message_->isHidden() ? QString() : message_->text(); }

 signals:
  void queue_wanted();

 private:
  void show_queue();
  void show_facts();
  void show_work();

  Session& session_;
  QLabel *name_, *facts_, *message_, *work_, *percent_;
  QProgressBar* bar_;
  QToolButton *cancel_, *queue_;
  QTimer poll_, passing_;
};

}  // namespace tsukimi::app
