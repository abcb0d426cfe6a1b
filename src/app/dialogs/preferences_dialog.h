// SPDX-License-Identifier: GPL-3.0-or-later
// The preferences. What is changed is seen at once; Cancel takes it back.
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QSpinBox>

#include "app/state/preferences.h"

namespace tsukimi::app {

class PreferencesDialog : public QDialog {
  Q_OBJECT
 public:
  PreferencesDialog(const Preferences& now, QWidget* parent);

 signals:
  void changed(const Preferences& preferences);

 private:
  struct Row {
    const char* name;
    QString label, tip;
  };
  struct Range {
    int least, most, step;
    QString unit;
  };
  void add_cache();
  QSpinBox* add_number(const Row& row, const Range& range);
  QCheckBox* add_flag(const char* name, const QString& label, const QString& text);
  void add_buttons();
  void show_cache_note();  // when nothing can be kept there
  void fill(const Preferences& preferences);
  Preferences shown() const;

  Preferences before_;
  QFormLayout* form_;
  QLineEdit* cache_;
  QLabel* cache_note_;
  QSpinBox *cache_gb_, *pictures_, *threads_, *surround_, *text_;
  QCheckBox *rest_, *notify_, *sound_;
};

}  // namespace tsukimi::app
