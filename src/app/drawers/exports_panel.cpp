// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QHBoxLayout>

#include "app/convert/path_text.h"
#include "app/convert/value_text.h"
#include "app/drawers/panels.h"

namespace tsukimi::app {
namespace {

// What it makes, a line for each.
QString described(const SavedExport& saved) {
  QStringList out;
  auto size = [](const PixelSize& p) {
    return p.exact.width > 0 ? QString("%1×%2").arg(p.exact.width).arg(p.exact.height)
           : p.long_edge > 0 ? ExportsPanel::tr("longer edge %1").arg(p.long_edge)
                             : ExportsPanel::tr("all pixels of the crop");
  };
  for (const auto& f : saved.job.frames)
    out << ExportsPanel::tr("Frames: %1, %2, %3")
               .arg(words_of(info(f.format).label), words_of(info(f.space).label), size(f.pixels));
  for (const auto& f : saved.job.films)
    out << ExportsPanel::tr("Film: %1 in %2, %3")
               .arg(words_of(info(f.codec).label), QString::fromStdString(f.container),
                    size(f.pixels));
  return out.join("\n");
}

}  // namespace

ExportsPanel::ExportsPanel(Session& session) : Panel(tr("Saved settings"), session) {
  column_->setSpacing(5);
  words()->setText(tr("Ways to export. The places that were chosen for this shoot stay."));
  list_ = new QListWidget;
  list_->setObjectName("exports");
  list_->setAccessibleName(tr("Saved settings"));
  add_sharing(list_, 130, 5);
  about_ = words("body");
  about_->setObjectName("export_makes");
  auto row_of = [this](std::initializer_list<QPushButton*> buttons) {
    auto* row = line();
    row->setSpacing(3);
    for (auto* b : buttons) {
      b->setStyleSheet("padding: 3px 2px");
      row->addWidget(b, 1);
    }
  };
  auto* import =
      button(tr("Import …"), "import_export", tr("A file of saved settings joins the list"));
  put_out_ = button(tr("Export …"), "put_out_export",
                    tr("The chosen settings as a file, for another machine"));
  duplicate_ = button(tr("Duplicate"), "duplicate_export", tr("The same under another name"));
  remove_ = button(tr("Remove"), "remove_export", tr("Takes the chosen settings out of the list"));
  row_of({import, put_out_});
  row_of({duplicate_, remove_});
  heading(tr("Keep what is set for this shoot"));
  auto* row = line();
  name_ = new QLineEdit;
  name_->setObjectName("export_name");
  name_->setPlaceholderText(tr("Name"));
  name_->setAccessibleName(tr("Name of the settings"));
  save_ = button(tr("Save"), "save_export", "");
  row->addWidget(name_, 1);
  row->addWidget(save_);
  apply_ = add_end(tr("Use for this shoot"), "apply_export");
  connect(list_, &QListWidget::currentItemChanged, this, &ExportsPanel::refresh);
  connect(list_, &QListWidget::itemDoubleClicked, this, [this] { apply_->click(); });
  connect(apply_, &QPushButton::clicked, this, [this] {
    if (const SavedExport* saved = current()) session_.saved_exports.apply(*saved);
    emit done();
  });
  connect(save_, &QPushButton::clicked, this, [this] {
    session_.saved_exports.save(
        saved_export(name_->text().trimmed().toStdString(), session_.document.decisions()));
    name_->clear();
  });
  connect(name_, &QLineEdit::textChanged, this, &ExportsPanel::refresh);
  connect(import, &QPushButton::clicked, this, [this] {
    const QUrl file =
        QFileDialog::getOpenFileUrl(this, tr("Import settings"), {}, tr("Settings (*.json)"));
    if (!file.isEmpty()) session_.saved_exports.bring_in(path_of(file));
  });
  connect(put_out_, &QPushButton::clicked, this, [this] {
    const SavedExport* saved = current();
    if (!saved) return;
    const SavedExport kept = *saved;
    const QUrl file = QFileDialog::getSaveFileUrl(
        this, tr("Export settings"),
        QUrl::fromLocalFile(QString::fromStdString(kept.name) + ".json"), tr("Settings (*.json)"));
    if (!file.isEmpty()) session_.saved_exports.put_out(kept, path_of(file));
  });
  connect(duplicate_, &QPushButton::clicked, this, [this] {
    const SavedExport* saved = current();
    if (!saved) return;
    SavedExport copy = *saved;
    copy.name = tr("%1, a copy").arg(QString::fromStdString(copy.name)).toStdString();
    session_.saved_exports.save(copy);
  });
  connect(remove_, &QPushButton::clicked, this, [this] {
    if (const SavedExport* saved = current()) session_.saved_exports.remove(*saved);
  });
  connect(&session_.saved_exports, &SavedExports::changed, this, &ExportsPanel::fill);
  fill();
}

void ExportsPanel::showEvent(QShowEvent*) {
  session_.saved_exports.read();
  refresh();
}

void ExportsPanel::fill() {
  const SavedExport* had = current();
  const std::string name = had ? had->name : "";
  list_->clear();
  for (const SavedExport& one : session_.saved_exports.list()) {
    auto* item = new QListWidgetItem(QString::fromStdString(one.name), list_);
    if (one.name == name) list_->setCurrentItem(item);
  }
  refresh();
}

const SavedExport* ExportsPanel::current() const {
  const auto& all = session_.saved_exports.list();
  const int i = list_->currentRow();
  return i >= 0 && i < std::ssize(all) ? &all[static_cast<std::size_t>(i)] : nullptr;
}

void ExportsPanel::refresh() {
  const SavedExport* saved = current();
  const bool open = session_.document.is_open();
  about_->setText(saved ? described(*saved) : QString());
  apply_->setEnabled(saved && open);
  put_out_->setEnabled(saved);
  duplicate_->setEnabled(saved);
  remove_->setEnabled(saved && !saved->file.empty());
  save_->setEnabled(open && !name_->text().trimmed().isEmpty());
}

}  // namespace tsukimi::app
