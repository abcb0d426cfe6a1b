#include "app/widgets/tabs.h"

#include <QCoreApplication>
#include <QStyle>
#include <QVariant>

namespace tsukimi::app {

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
