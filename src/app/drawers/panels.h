// SPDX-License-Identifier: GPL-3.0-or-later
// What opens in a drawer's place and goes back to it.
#pragma once

#include <QLineEdit>
#include <QProgressBar>
#include <QTreeWidget>

#include "app/drawers/drawer.h"
#include "app/picture/preview.h"
#include "document/carry.h"

namespace tsukimi::app {

class Panel : public Drawer {
  Q_OBJECT
 public:
  using Drawer::Drawer;

 signals:
  void done();  // back to the drawer

 protected:
  // What shares the height that is there, by its stretch.
  void add_sharing(QWidget* widget, int least, int stretch);
  // "Not now" beside what the panel is for.
  QPushButton* add_end(const QString& text, const QString& name);
};

// Places for key frames: how many, where and why; they stand in the timeline until then.
class ProposePanel : public Panel {
  Q_OBJECT
 public:
  explicit ProposePanel(Session& session);

 protected:
  void refresh() override;
  void showEvent(QShowEvent*) override;
  void hideEvent(QHideEvent*) override { session_.keys.withdraw(); }

 private:
  std::vector<int> ticked() const;
  Ruler* most_;
  QLabel *there_, *none_;
  QListWidget* list_;
  QPushButton* make_;
};

// A copied look, whole or by parts, onto chosen key frames; what will change is listed first.
class CarryPanel : public Panel {
  Q_OBJECT
 public:
  CarryPanel(Session& session, Preview& preview);

 protected:
  void refresh() override;
  void showEvent(QShowEvent*) override;

 private:
  void fill_targets();
  void tick_targets(CarryTo to);
  void show_changes();
  std::vector<int> targets() const;
  Preview& preview_;
  QLabel *of_, *count_;
  QTreeWidget* parts_;
  QListWidget *onto_, *changes_;
  QPushButton* carry_;
  std::vector<int> filled_for_;  // the frames that can be chosen
};

// Looks kept under a name: seen on the frame by pointing at them, applied whole or in part.
class LooksPanel : public Panel {
  Q_OBJECT
 public:
  explicit LooksPanel(Session& session);

 protected:
  void refresh() override;
  void showEvent(QShowEvent*) override;
  void hideEvent(QHideEvent*) override { session_.look.stop_trying(); }
  bool eventFilter(QObject* of, QEvent* e) override;

 private:
  void fill();
  void show_parts();
  void try_on(const SavedLook* look);
  const SavedLook* look_of(const QTreeWidgetItem* item) const;
  const SavedLook* current() const { return look_of(looks_->currentItem()); }
  std::vector<Param> ticked(const SavedLook& look) const;
  void save();
  void bring_in();
  void put_out();
  QTreeWidget* looks_;
  QListWidget* parts_;
  QLineEdit *name_, *group_;
  QCheckBox *exposure_, *places_;
  QPushButton *apply_, *save_, *export_, *remove_;
};

// Ways to export that are kept under a name.
class ExportsPanel : public Panel {
  Q_OBJECT
 public:
  explicit ExportsPanel(Session& session);

 protected:
  void refresh() override;
  void showEvent(QShowEvent*) override;

 private:
  void fill();
  const SavedExport* current() const;
  QListWidget* list_;
  QLabel* about_;
  QLineEdit* name_;
  QPushButton *apply_, *save_, *put_out_, *duplicate_, *remove_;
};

// What is exported now, and what waits, whoever put it there.
class QueuePanel : public Panel {
  Q_OBJECT
 public:
  explicit QueuePanel(Session& session);

 protected:
  void refresh() override;
  void showEvent(QShowEvent*) override;

 private:
  const QueuedJob* chosen() const;
  void move(int by);
  void show_jobs();
  void show_now();
  void show_buttons();
  ExportQueue& queue_;
  QLabel *picture_, *now_, *about_;
  QProgressBar* bar_;
  QTreeWidget* jobs_;
  QPushButton *pause_, *up_, *down_, *cancel_, *clear_, *start_;
};

// What was done, step by step; a click goes there.
class HistoryPanel : public Panel {
  Q_OBJECT
 public:
  explicit HistoryPanel(Session& session);

 protected:
  void refresh() override {}
};

// The parts of a look by pages, each with a box; all ticked.
void fill_with_parts(QTreeWidget* tree);
std::vector<Param> ticked_rows(const QTreeWidget* tree);

}  // namespace tsukimi::app
