// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/open_dialog.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

#include "app/convert/path_text.h"
#include "app/dialogs/dialog_button.h"

namespace tsukimi::app {

OpenDialog::OpenDialog(std::shared_ptr<const FolderScan> scan, double fps, QWidget* parent)
    : QDialog(parent), scan_(std::move(scan)) {
  setObjectName("open_sequences");
  setWindowTitle(tr("Which sequence?"));
  resize(720, 520);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 16, 18, 16);
  column->setSpacing(10);
  const auto parts = scan_->parts.size();
  auto* title = new QLabel(
      parts > 1 ? tr("%1 holds %2 sequences").arg(shown_path(scan_->folder.filename())).arg(parts)
                : tr("Raw and still pictures of the same shots"));
  title->setObjectName("title");
  column->addWidget(title);
  QStringList notes;
  for (const auto& n : scan_->notes) notes << QString::fromStdString(n);
  auto* words = new QLabel(notes.join("  "));
  words->setObjectName("quiet");
  words->setWordWrap(true);
  words->setVisible(!notes.isEmpty());
  column->addWidget(words);
  list_ = new SequenceList(false);
  list_->show_scan(*scan_, fps);
  column->addWidget(list_, 1);
  auto* row = new QHBoxLayout;
  if (scan_->pairs > 0) {
    const bool raw = scan_->options.pairs == Pairs::raw;
    auto* other =
        add_button(row, raw ? tr("Take the still pictures") : tr("Take the raw files"),
                   "other_pairs", tr("Every shot is there twice; one of the two is opened"));
    connect(other, &QPushButton::clicked, this, [this, raw] {
      emit other_pairs(raw ? Pairs::still : Pairs::raw);
      accept();
    });
  }
  row->addStretch(1);
  connect(add_button(row, tr("Cancel"), "cancel", tr("Open nothing")), &QPushButton::clicked, this,
          &QDialog::reject);
  if (parts > 1)
    connect(add_button(row, tr("Open all as one"), "open_all",
                       tr("Every picture in the folder, as one sequence")),
            &QPushButton::clicked, this, [this] {
              emit open_frames(scan_, {});
              accept();
            });
  auto* open = add_button(row, tr("Open"), "primary", tr("Open the sequence that is picked"));
  open->setDefault(true);
  auto take = [this] {
    const auto chosen = list_->chosen();
    if (chosen.empty()) return;
    emit open_frames(scan_, list_->parts()[chosen.front()].frames);
    accept();
  };
  connect(open, &QPushButton::clicked, this, take);
  connect(list_, &SequenceList::activated, this, take);
  column->addLayout(row);
}

}  // namespace tsukimi::app
