// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMouseEvent>

#include "app/convert/path_text.h"
#include "app/convert/value_text.h"
#include "app/drawers/panels.h"
#include "document/kept_places.h"

namespace tsukimi::app {

LooksPanel::LooksPanel(Session& session) : Panel(tr("Saved looks"), session) {
  column_->setSpacing(5);
  words()->setText(tr("Point at one to see it on this frame; a double click applies it."));
  looks_ = new QTreeWidget;
  looks_->setObjectName("looks");
  looks_->setAccessibleName(tr("Saved looks"));
  looks_->setHeaderHidden(true);
  looks_->setMouseTracking(true);
  looks_->viewport()->setMouseTracking(true);
  looks_->viewport()->installEventFilter(this);
  add_sharing(looks_, 130, 5);
  auto* files = new QHBoxLayout;
  files->setSpacing(3);
  auto* import = button(tr("Import …"), "import_look", tr("A file of a saved look joins the list"));
  export_ =
      button(tr("Export …"), "export_look", tr("The chosen look as a file, for another machine"));
  remove_ = button(tr("Remove"), "remove_look", tr("Takes the chosen look out of the list"));
  for (auto* b : {import, export_, remove_}) {
    b->setStyleSheet("padding: 3px 2px");
    files->addWidget(b, 1);
  }
  column_->addLayout(files);
  heading(tr("What it sets"));
  parts_ = new QListWidget;
  parts_->setObjectName("look_sets");
  parts_->setAccessibleName(tr("What it sets"));
  add_sharing(parts_, 100, 4);
  heading(tr("Keep the look of this frame"));
  name_ = new QLineEdit;
  name_->setObjectName("look_name");
  name_->setPlaceholderText(tr("Name"));
  name_->setAccessibleName(tr("Name of the look"));
  group_ = new QLineEdit;
  group_->setObjectName("look_group");
  group_->setPlaceholderText(tr("Group"));
  group_->setAccessibleName(tr("Group of the look"));
  auto* row = new QHBoxLayout;
  row->setSpacing(5);
  row->addWidget(name_, 3);
  row->addWidget(group_, 2);
  column_->addLayout(row);
  exposure_ = new QCheckBox(tr("With exposure"));
  exposure_->setObjectName("look_exposure");
  exposure_->setToolTip(tr("A look fits other evenings without it, so it is left out"));
  places_ = new QCheckBox(tr("With places"));
  places_->setObjectName("look_places");
  places_->setToolTip(tr("Graduated shapes and ellipses too; what is painted stays here"));
  auto* with = new QVBoxLayout;
  with->setSpacing(2);
  with->addWidget(exposure_);
  with->addWidget(places_);
  save_ = button(tr("Save look"), "save_look", "");
  auto* last = new QHBoxLayout;
  last->addLayout(with, 1);
  last->addWidget(save_);
  column_->addLayout(last);
  apply_ = add_end(tr("Apply here"), "apply_look");
  connect(looks_, &QTreeWidget::currentItemChanged, this, [this] {
    show_parts();
    try_on(current());
  });
  connect(looks_, &QTreeWidget::itemDoubleClicked, this, [this] { apply_->click(); });
  connect(parts_, &QListWidget::itemChanged, this, [this] { try_on(current()); });
  connect(apply_, &QPushButton::clicked, this, [this] {
    if (const SavedLook* look = current()) session_.look.apply(*look, ticked(*look));
    emit done();
  });
  connect(save_, &QPushButton::clicked, this, &LooksPanel::save);
  connect(name_, &QLineEdit::textChanged, this, &LooksPanel::refresh);
  connect(import, &QPushButton::clicked, this, &LooksPanel::bring_in);
  connect(export_, &QPushButton::clicked, this, &LooksPanel::put_out);
  connect(remove_, &QPushButton::clicked, this, [this] {
    if (const SavedLook* look = current()) session_.looks.remove(*look);
  });
  connect(&session_.looks, &SavedLooks::changed, this, &LooksPanel::fill);
  fill();
}

void LooksPanel::showEvent(QShowEvent*) {
  session_.looks.read();
  looks_->setCurrentItem(nullptr);
  refresh();
}

// Groups, and the looks in them.
void LooksPanel::fill() {
  const SavedLook* had = current();
  const std::string name = had ? had->name : "";
  looks_->clear();
  std::map<QString, QTreeWidgetItem*> groups;
  for (std::size_t i = 0; i < session_.looks.list().size(); ++i) {
    const SavedLook& look = session_.looks.list()[i];
    const QString group =
        look.group.empty() ? tr("Without a group") : QString::fromStdString(look.group);
    QTreeWidgetItem*& top = groups[group];
    if (!top) {
      top = new QTreeWidgetItem(looks_, {group});
      top->setFlags(Qt::ItemIsEnabled);
      top->setData(0, Qt::UserRole, -1);
      top->setExpanded(true);
    }
    auto* item = new QTreeWidgetItem(top, {QString::fromStdString(look.name)});
    item->setData(0, Qt::UserRole, static_cast<int>(i));
    if (look.name == name) looks_->setCurrentItem(item);
  }
  show_parts();
}

const SavedLook* LooksPanel::look_of(const QTreeWidgetItem* item) const {
  const int i = item ? item->data(0, Qt::UserRole).toInt() : -1;
  const auto& all = session_.looks.list();
  return i >= 0 && i < static_cast<int>(all.size()) ? &all[static_cast<std::size_t>(i)] : nullptr;
}

void LooksPanel::show_parts() {
  {
    const QSignalBlocker quiet(parts_);
    parts_->clear();
    const SavedLook* look = current();
    if (look)
      for (const auto& [p, value] : look->values) {
        auto* item =
            new QListWidgetItem(QString("%1  %2").arg(label_of(p), value_text(p, value)), parts_);
        item->setData(Qt::UserRole, static_cast<int>(p));
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
        item->setCheckState(Qt::Checked);
      }
    for (const LocalPlace& place : look ? look->places : std::vector<LocalPlace>())
      new QListWidgetItem(tr("Place: %1").arg(QString::fromStdString(place.name)), parts_);
  }
  refresh();
}

std::vector<Param> LooksPanel::ticked(const SavedLook& look) const {
  if (&look != current()) return rows_of(look);
  std::vector<Param> rows;
  for (int i = 0; i < parts_->count(); ++i)
    if (parts_->item(i)->data(Qt::UserRole).isValid() &&
        parts_->item(i)->checkState() == Qt::Checked)
      rows.push_back(Param{parts_->item(i)->data(Qt::UserRole).toInt()});
  return rows;
}

void LooksPanel::try_on(const SavedLook* look) {
  if (!session_.document.is_open() || !isVisible()) return;
  look ? session_.look.try_on(*look, ticked(*look)) : session_.look.stop_trying();
}

// Pointing at a look shows it; away from the list it is the chosen one again.
bool LooksPanel::eventFilter(QObject* of, QEvent* e) {
  if (e->type() == QEvent::MouseMove) {
    const SavedLook* look =
        look_of(looks_->itemAt(static_cast<QMouseEvent*>(e)->position().toPoint()));
    try_on(look ? look : current());
  } else if (e->type() == QEvent::Leave) {
    try_on(current());
  }
  return Panel::eventFilter(of, e);
}

void LooksPanel::save() {
  const Shoot& shoot = session_.document.shoot();
  SavedLook look =
      saved_look(name_->text().trimmed().toStdString(), group_->text().trimmed().toStdString(),
                 session_.document.course().at(session_.playhead.frame()),
                 neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint), exposure_->isChecked());
  if (places_->isChecked()) look.places = places_to_keep(shoot, session_.playhead.frame());
  session_.looks.save(look);
  name_->clear();
}

void LooksPanel::bring_in() {
  const QUrl file =
      QFileDialog::getOpenFileUrl(this, tr("Import a look"), {}, tr("Looks (*.json)"));
  if (!file.isEmpty()) session_.looks.bring_in(path_of(file));
}

void LooksPanel::put_out() {
  const SavedLook* look = current();
  if (!look) return;
  const SavedLook kept = *look;
  const QUrl file = QFileDialog::getSaveFileUrl(
      this, tr("Export a look"), QUrl::fromLocalFile(QString::fromStdString(kept.name) + ".json"),
      tr("Looks (*.json)"));
  if (!file.isEmpty()) session_.looks.put_out(kept, path_of(file));
}

void LooksPanel::refresh() {
  const SavedLook* look = current();
  apply_->setEnabled(look && session_.document.is_open());
  export_->setEnabled(look);
  remove_->setEnabled(look && !look->file.empty());
  save_->setEnabled(session_.document.is_open() && !name_->text().trimmed().isEmpty());
}

}  // namespace tsukimi::app
