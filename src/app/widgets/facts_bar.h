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

 private:
  void show_facts();
  void show_work();

  Session& session_;
  QLabel *name_, *facts_, *work_, *percent_;
  QProgressBar* bar_;
  QToolButton* cancel_;
  QTimer poll_;
};

}  // namespace tsukimi::app
