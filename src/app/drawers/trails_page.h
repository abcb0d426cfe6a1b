// SPDX-License-Identifier: GPL-3.0-or-later
// The page of the Stack drawer on star trails.
#pragma once

#include <QComboBox>
#include <QSpinBox>

#include "app/drawers/key_row.h"
#include "app/drawers/keyed_ruler.h"
#include "app/widgets/column.h"

namespace tsukimi::app {

class TrailsPage : public QWidget, protected Column {
  Q_OBJECT
 public:
  explicit TrailsPage(Session& session);
  void refresh();

 private:
  QComboBox* add_choice(const char* name, const QString& title, const QStringList& choices,
                        const QString& tip);
  void add_tails();
  void add_sky();
  void add_ground();
  void show_sky();
  void show_ground();
  void show_notes();
  void show_written();
  const Trails& trails() const { return session_.trails.trails(); }

  Session& session_;
  QComboBox *kind_, *way_, *unit_, *sky_, *ground_;
  QWidget *fields_, *tails_;
  KeyRow* keys_;
  KeyedRuler *length_, *fade_;
  QSpinBox *every_, *mean_;
  QCheckBox *gaps_, *streaks_;
  QPushButton *find_, *this_frame_, *write_;
  QLabel *notes_, *ground_words_, *written_;
  quint64 shown_runs_ = 0;  // of which version of the document
};

}  // namespace tsukimi::app
