// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/tabs.h"

#include <QCoreApplication>
#include <QStyle>
#include <QVariant>

namespace tsukimi::app {

QVBoxLayout* add_page(QStackedWidget* pages, std::vector<QToolButton*>& tabs, const QString& name,
                      const QString& shown) {
  auto* page = new QWidget;
  auto* layout = new QVBoxLayout(page);
  layout->setContentsMargins(0, 4, 0, 0);
  layout->setSpacing(0);
  layout->setAlignment(Qt::AlignTop);
  pages->addWidget(page);
  auto* tab = new QToolButton;
  tab->setText(shown);
  tab->setObjectName(name);
  tab->setCheckable(true);
  make_narrow(tab);
  tabs.push_back(tab);
  return layout;
}

void make_narrow(QToolButton* b) {
  b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  b->setMinimumWidth(20);
  b->setStyleSheet("padding: 3px 1px");
}

void mark_tab(QToolButton* tab, bool changed) {
  if (tab->property("changed").toBool() == changed) return;
  tab->setProperty("changed", changed);
  tab->setToolTip(changed
                      ? QCoreApplication::translate("Tabs", "Values here differ from the start.")
                      : QString());
  tab->style()->unpolish(tab);
  tab->style()->polish(tab);
}

void show_page(QStackedWidget* pages, const std::vector<QToolButton*>& tabs, int page) {
  pages->setCurrentIndex(page);
  for (int i = 0; i < pages->count(); ++i) {
    tabs[static_cast<std::size_t>(i)]->setChecked(i == page);
    pages->widget(i)->setSizePolicy(QSizePolicy::Preferred,
                                    i == page ? QSizePolicy::Preferred : QSizePolicy::Ignored);
  }
  pages->adjustSize();
}

}  // namespace tsukimi::app
