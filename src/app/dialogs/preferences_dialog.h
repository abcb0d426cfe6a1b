// SPDX-License-Identifier: GPL-3.0-or-later
// The preferences. What is changed is seen at once; Cancel takes it back.
#pragma once

#include <QCheckBox>
#include <QDialog>
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
  Preferences shown() const;
  Preferences before_;
  void show_cache_note();  // when nothing can be kept there
  QLineEdit* cache_;
  QLabel* cache_note_;
  QSpinBox *cache_gb_, *pictures_, *threads_, *surround_, *text_;
  QCheckBox *rest_, *notify_, *sound_;
};

}  // namespace tsukimi::app
