// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/drawer.h"

#include <QScrollBar>

#include "app/widgets/style.h"

namespace tsukimi::app {

Drawer::Drawer(const QString& title, Session& session, QWidget* parent)
    : QScrollArea(parent), session_(session), title_(title) {
  setObjectName("drawer_" + title.toLower());
  setWidgetResizable(true);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* content = new QWidget;
  content->setObjectName("content");
  setWidget(content);
  column_ = new QVBoxLayout(content);
  column_->setContentsMargins(14, 10, 14, 10);
  column_->setSpacing(8);
  auto* label = new QLabel(title);
  label->setObjectName("title");
  column_->addWidget(label);
  last_heading_ = title;
  // Hidden drawers are brought up to date when they are shown.
  session_.on_change(this, [this] {
    if (isVisible()) refresh();
  });
}

// Wide enough for what stands in it: there is no scrolling sideways.
QSize Drawer::minimumSizeHint() const {
  return {column_->minimumSize().width() + verticalScrollBar()->sizeHint().width(),
          QScrollArea::minimumSizeHint().height()};
}

QString Drawer::light_words() const {
  return session_.light.measuring()
             ? tr("The light is being measured.")
             : tr("The light has not been measured. A click on the light lane below measures it.");
}

}  // namespace tsukimi::app
