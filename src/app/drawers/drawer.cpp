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

QLabel* Drawer::heading(const QString& text) {
  auto* l = new QLabel(text);
  l->setObjectName("heading");
  l->setIndent(0);
  column_->addWidget(l);
  last_heading_ = text;
  return l;
}

QLabel* Drawer::words(const QString& style) {
  auto* l = new QLabel;
  l->setObjectName(style);
  l->setWordWrap(true);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column_->addWidget(l);
  return l;
}

QPushButton* Drawer::button(const QString& text, const QString& name, const QString& tip) {
  auto* b = new QPushButton(text);
  b->setObjectName(name);
  b->setToolTip(tip);
  return b;
}

QCheckBox* Drawer::check(const QString& text, const QString& name, const QString& tip) {
  auto* c = new QCheckBox(text);
  c->setObjectName(name);
  c->setToolTip(tip);
  column_->addWidget(c);
  return c;
}

QListWidget* Drawer::list(const QString& name, int height) {
  auto* l = new QListWidget;
  l->setObjectName(name);
  l->setAccessibleName(last_heading_.isEmpty() ? title_ : last_heading_);
  l->setFixedHeight(height);
  l->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  l->setTextElideMode(Qt::ElideRight);
  column_->addWidget(l);
  return l;
}

}  // namespace tsukimi::app
