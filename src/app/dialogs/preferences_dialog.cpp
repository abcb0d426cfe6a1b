// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/preferences_dialog.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QPushButton>
#include <QThread>

#include "app/convert/path_text.h"

namespace tsukimi::app {

PreferencesDialog::PreferencesDialog(const Preferences& now, QWidget* parent)
    : QDialog(parent), before_(now), form_(new QFormLayout(this)) {
  setObjectName("preferences");
  setWindowTitle(tr("Preferences"));
  form_->setContentsMargins(18, 16, 18, 16);
  form_->setVerticalSpacing(9);
  form_->setHorizontalSpacing(18);
  add_cache();
  cache_gb_ =
      add_number({"cache_gb", tr("Cache, at most"), tr("What was used least recently goes first")},
                 {1, 1000, 5, tr("GB")});
  pictures_ = add_number({"pictures_mb", tr("Memory for pictures"),
                          tr("Developed pictures that are kept for playing")},
                         {0, 64000, 250, tr("MB")});
  pictures_->setSpecialValueText(tr("by what is free"));
  threads_ = add_number({"threads", tr("Processor"), tr("How many are used at once")},
                        {0, 256, 1, tr("threads")});
  threads_->setSpecialValueText(tr("all %1").arg(QThread::idealThreadCount()));
  rest_ = add_flag("finish_at_rest", tr("At rest"),
                   tr("Develop the picture from its file when nothing moves"));
  surround_ =
      add_number({"surround", tr("Round the picture"), tr("How bright it is round the picture")},
                 {0, 60, 1, tr("% of white")});
  text_ =
      add_number({"text", tr("Size of text"),
                  tr("On top of the size that the system asks for; whole after the next start")},
                 {80, 200, 10, "%"});
  notify_ = add_flag("notify", tr("Exports that end"), tr("Tell it on the desktop"));
  sound_ = add_flag("sound", {}, tr("With a sound"));
  connect(notify_, &QCheckBox::toggled, sound_, &QWidget::setEnabled);
  add_buttons();
  fill(now);
  sound_->setEnabled(now.notify);
  for (const QSpinBox* box : {cache_gb_, pictures_, threads_, surround_, text_})
    connect(box, &QSpinBox::valueChanged, this, [this] { emit changed(shown()); });
  for (const QCheckBox* box : {rest_, notify_, sound_})
    connect(box, &QCheckBox::toggled, this, [this] { emit changed(shown()); });
}

QSpinBox* PreferencesDialog::add_number(const Row& row, const Range& range) {
  auto* box = new QSpinBox;
  box->setObjectName(row.name);
  box->setAccessibleName(row.label);
  box->setToolTip(row.tip);
  box->setRange(range.least, range.most);
  box->setSingleStep(range.step);
  box->setSuffix(" " + range.unit);
  form_->addRow(row.label, box);
  return box;
}

QCheckBox* PreferencesDialog::add_flag(const char* name, const QString& label,
                                       const QString& text) {
  auto* box = new QCheckBox(text);
  box->setObjectName(name);
  form_->addRow(label, box);
  return box;
}

void PreferencesDialog::add_cache() {
  cache_ = new QLineEdit;
  cache_->setObjectName("cache");
  cache_->setAccessibleName(tr("Cache folder"));
  cache_->setPlaceholderText(shown_path(cache_folder()));
  cache_->setMinimumWidth(280);
  cache_->setToolTip(
      tr("Where small copies of frames are kept, in a folder tsukimi of its own; they can be made "
         "again"));
  auto* choose = new QPushButton(tr("Choose …"));
  auto* row = new QHBoxLayout;
  row->addWidget(cache_, 1);
  row->addWidget(choose);
  form_->addRow(tr("Cache folder"), row);
  cache_note_ = new QLabel;
  cache_note_->setObjectName("cache_note");
  cache_note_->setWordWrap(true);
  form_->addRow(QString(), cache_note_);
  show_cache_note();
  auto change = [this] {
    emit changed(shown());
    show_cache_note();
  };
  connect(cache_, &QLineEdit::editingFinished, this, change);
  connect(choose, &QPushButton::clicked, this, [this, change] {
    const QUrl chosen = QFileDialog::getExistingDirectoryUrl(this, tr("Cache folder"));
    if (chosen.isEmpty()) return;
    cache_->setText(text_of(path_of(chosen)));
    change();
  });
}

void PreferencesDialog::add_buttons() {
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel |
                                       QDialogButtonBox::RestoreDefaults);
  form_->addRow(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, [this] {
    emit changed(shown());
    shown().write();
    accept();
  });
  connect(buttons, &QDialogButtonBox::rejected, this, [this] {
    emit changed(before_);
    reject();
  });
  connect(buttons->button(QDialogButtonBox::RestoreDefaults), &QPushButton::clicked, this,
          [this] { fill(Preferences{}); });
}

void PreferencesDialog::fill(const Preferences& p) {
  cache_->setText(text_of(p.cache));
  cache_gb_->setValue(p.cache_gb);
  pictures_->setValue(p.pictures_mb);
  threads_->setValue(p.threads);
  rest_->setChecked(p.finish_at_rest);
  surround_->setValue(p.surround);
  text_->setValue(p.text);
  notify_->setChecked(p.notify);
  sound_->setChecked(p.sound);
}

void PreferencesDialog::show_cache_note() {
  const auto ok = check_cache();
  cache_note_->setText(ok ? QString() : QString::fromStdString(ok.error().message));
  cache_note_->setVisible(!ok);
}

Preferences PreferencesDialog::shown() const {
  Preferences p;
  p.cache = path_of(cache_->text().trimmed());
  p.cache_gb = cache_gb_->value();
  p.pictures_mb = pictures_->value();
  p.threads = threads_->value();
  p.finish_at_rest = rest_->isChecked();
  p.surround = surround_->value();
  p.text = text_->value();
  p.notify = notify_->isChecked();
  p.sound = sound_->isChecked();
  return p;
}

}  // namespace tsukimi::app
