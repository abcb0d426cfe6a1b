// Pages of a drawer behind buttons in a row.
#pragma once

#include <QStackedWidget>
#include <QToolButton>
#include <vector>

namespace tsukimi::app {

// Buttons that share a row evenly, however narrow the drawer is.
void make_narrow(QToolButton* button);
// That something behind it differs from the start.
void mark_tab(QToolButton* tab, bool changed);
// Only the page on top decides how high the drawer is.
void show_page(QStackedWidget* pages, const std::vector<QToolButton*>& tabs, int page);

}  // namespace tsukimi::app
