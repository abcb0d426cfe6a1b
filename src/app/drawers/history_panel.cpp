// SPDX-License-Identifier: GPL-3.0-or-later
#include <QUndoView>

#include "app/drawers/panels.h"

namespace tsukimi::app {

HistoryPanel::HistoryPanel(Session& session) : Panel(tr("History"), session) {
  words()->setText(tr("Every step since it was opened, also those of a drag. A click goes there."));
  auto* steps = new QUndoView(&session_.document.undo());
  steps->setObjectName("history");
  steps->setEmptyLabel(tr("As opened"));
  add_sharing(steps, 120, 1);
  auto* back = button(tr("Back"), "history_back", "");
  column_->addWidget(back);
  connect(back, &QPushButton::clicked, this, &Panel::done);
}

}  // namespace tsukimi::app
