// SPDX-License-Identifier: GPL-3.0-or-later
// The buttons of the dialogs.
#pragma once

#include <QBoxLayout>
#include <QPushButton>

namespace tsukimi::app {

// Behind what is in the row. Return does not press it, unless it is made the default.
inline QPushButton* add_button(QBoxLayout* row, const QString& text, const QString& name,
                               const QString& tip) {
  auto* b = new QPushButton(text);
  b->setObjectName(name);
  b->setToolTip(tip);
  b->setAutoDefault(false);
  row->addWidget(b);
  return b;
}

}  // namespace tsukimi::app
