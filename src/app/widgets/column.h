// SPDX-License-Identifier: GPL-3.0-or-later
// Headings, words and fields below each other: what drawers and their pages are made of.
#pragma once

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>

#include "app/widgets/style.h"

namespace tsukimi::app {

class Column {
 protected:
  QLabel* heading(const QString& text);
  QLabel* words(const QString& style = "quiet");
  static QPushButton* button(const QString& text, const QString& name, const QString& tip);
  QCheckBox* check(const QString& text, const QString& name, const QString& tip);
  QListWidget* list(const QString& name, int height);
  QHBoxLayout* line();  // of fields beside each other
  // As wide as its share of a line, not as its words.
  static void share_width(QWidget* widget) {
    widget->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  }
  template <typename Field>
  static Field* field(const char* name, const QString& accessible_name, const QString& tip = {}) {
    auto* f = new Field;
    f->setObjectName(name);
    f->setAccessibleName(accessible_name);
    f->setToolTip(tip);
    if constexpr (std::is_same_v<Field, QSpinBox>)
      f->setKeyboardTracking(false);  // a number counts when it has been typed whole
    f->setMinimumWidth(text_px(58));  // long words of a list do not widen the drawer
    return f;
  }

  QVBoxLayout* column_ = nullptr;
  QString last_heading_;  // what is a list without one called?
};

// Without a signal.
void set_quietly(QSpinBox* box, int value);
QString attention(const QString& text);  // as rich text

}  // namespace tsukimi::app
