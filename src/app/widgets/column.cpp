// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/column.h"

#include <QSignalBlocker>

namespace tsukimi::app {

QLabel* Column::heading(const QString& text) {
  auto* l = new QLabel(text);
  l->setObjectName("heading");
  l->setIndent(0);
  column_->addWidget(l);
  last_heading_ = text;
  return l;
}

QLabel* Column::words(const QString& style) {
  auto* l = new QLabel;
  l->setObjectName(style);
  l->setWordWrap(true);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column_->addWidget(l);
  return l;
}

QPushButton* Column::button(const QString& text, const QString& name, const QString& tip) {
  auto* b = new QPushButton(text);
  b->setObjectName(name);
  b->setToolTip(tip);
  return b;
}

QCheckBox* Column::check(const QString& text, const QString& name, const QString& tip) {
  auto* c = new QCheckBox(text);
  c->setObjectName(name);
  c->setToolTip(tip);
  column_->addWidget(c);
  return c;
}

QListWidget* Column::list(const QString& name, int height) {
  auto* l = new QListWidget;
  l->setObjectName(name);
  l->setAccessibleName(last_heading_);
  l->setFixedHeight(height);
  l->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  l->setTextElideMode(Qt::ElideRight);
  column_->addWidget(l);
  return l;
}

QHBoxLayout* Column::line() {
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  column_->addLayout(row);
  return row;
}

void set_quietly(QSpinBox* box, int value) {
  const QSignalBlocker quiet(box);
  box->setValue(value);
}

QString attention(const QString& text) {
  return QString("<span style='color:%1'>%2</span>")
      .arg(colour::coral.name(), text.toHtmlEscaped());
}

}  // namespace tsukimi::app
