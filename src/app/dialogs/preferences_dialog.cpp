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
    : QDialog(parent), before_(now) {
  setObjectName("preferences");
  setWindowTitle(tr("Preferences"));
  auto* form = new QFormLayout(this);
  form->setContentsMargins(18, 16, 18, 16);
  form->setVerticalSpacing(9);
  form->setHorizontalSpacing(18);
  auto number = [&](const char* name, int value, int least, int most, int step, const QString& unit,
                    const QString& label, const QString& tip) {
    auto* box = new QSpinBox;
    box->setObjectName(name);
    box->setAccessibleName(label);
    box->setRange(least, most);
    box->setSingleStep(step);
    box->setSuffix(" " + unit);
    box->setValue(value);
    box->setToolTip(tip);
    form->addRow(label, box);
    connect(box, &QSpinBox::valueChanged, this, [this] { emit changed(shown()); });
    return box;
  };
  cache_ = new QLineEdit(text_of(now.cache));
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
  form->addRow(tr("Cache folder"), row);
  cache_note_ = new QLabel;
  cache_note_->setObjectName("cache_note");
  cache_note_->setWordWrap(true);
  form->addRow(QString(), cache_note_);
  show_cache_note();
  connect(choose, &QPushButton::clicked, this, [this] {
    const QUrl chosen = QFileDialog::getExistingDirectoryUrl(this, tr("Cache folder"));
    if (chosen.isEmpty()) return;
    cache_->setText(text_of(path_of(chosen)));
    emit changed(shown());
    show_cache_note();
  });
  cache_gb_ = number("cache_gb", now.cache_gb, 1, 1000, 5, tr("GB"), tr("Cache, at most"),
                     tr("What was used least recently goes first"));
  pictures_ = number("pictures_mb", now.pictures_mb, 0, 64000, 250, tr("MB"),
                     tr("Memory for pictures"), tr("Developed pictures that are kept for playing"));
  pictures_->setSpecialValueText(tr("by what is free"));
  threads_ = number("threads", now.threads, 0, 256, 1, tr("threads"), tr("Processor"),
                    tr("How many are used at once"));
  threads_->setSpecialValueText(tr("all %1").arg(QThread::idealThreadCount()));
  rest_ = new QCheckBox(tr("Develop the picture from its file when nothing moves"));
  rest_->setObjectName("finish_at_rest");
  rest_->setChecked(now.finish_at_rest);
  form->addRow(tr("At rest"), rest_);
  surround_ = number("surround", now.surround, 0, 60, 1, tr("% of white"), tr("Round the picture"),
                     tr("How bright it is round the picture"));
  text_ = number("text", now.text, 80, 200, 10, "%", tr("Size of text"),
                 tr("On top of the size that the system asks for; whole after the next start"));
  auto flag = [&](const char* name, bool value, const QString& label, const QString& text) {
    auto* box = new QCheckBox(text);
    box->setObjectName(name);
    box->setChecked(value);
    form->addRow(label, box);
    connect(box, &QCheckBox::toggled, this, [this] { emit changed(shown()); });
    return box;
  };
  notify_ = flag("notify", now.notify, tr("Exports that end"), tr("Tell it on the desktop"));
  sound_ = flag("sound", now.sound, {}, tr("With a sound"));
  sound_->setEnabled(now.notify);
  connect(notify_, &QCheckBox::toggled, sound_, &QWidget::setEnabled);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel |
                                       QDialogButtonBox::RestoreDefaults);
  form->addRow(buttons);
  connect(rest_, &QCheckBox::toggled, this, [this] { emit changed(shown()); });
  connect(cache_, &QLineEdit::editingFinished, this, [this] {
    emit changed(shown());
    show_cache_note();
  });
  connect(buttons, &QDialogButtonBox::accepted, this, [this] {
    emit changed(shown());
    shown().write();
    accept();
  });
  connect(buttons, &QDialogButtonBox::rejected, this, [this] {
    emit changed(before_);
    reject();
  });
  connect(buttons->button(QDialogButtonBox::RestoreDefaults), &QPushButton::clicked, this, [this] {
    const Preferences start;
    cache_->setText(text_of(start.cache));
    cache_gb_->setValue(start.cache_gb);
    pictures_->setValue(start.pictures_mb);
    threads_->setValue(start.threads);
    rest_->setChecked(start.finish_at_rest);
    surround_->setValue(start.surround);
    text_->setValue(start.text);
    notify_->setChecked(start.notify);
    sound_->setChecked(start.sound);
  });
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
