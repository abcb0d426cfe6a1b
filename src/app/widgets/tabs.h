// SPDX-License-Identifier: GPL-3.0-or-later
// Pages of a drawer behind buttons in a row.
#pragma once

#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>
#include <vector>

namespace tsukimi::app {

// A page with its button, which stands in no row yet; what is put on it goes into the layout.
QVBoxLayout* add_page(QStackedWidget* pages, std::vector<QToolButton*>& tabs, const QString& name,
                      const QString& shown);
// Buttons that share a row evenly, however narrow the drawer is.
void make_narrow(QToolButton* button);
// That something behind it differs from the start.
void mark_tab(QToolButton* tab, bool changed);
// Only the page on top decides how high the drawer is.
void show_page(QStackedWidget* pages, const std::vector<QToolButton*>& tabs, int page);

}  // namespace tsukimi::app
