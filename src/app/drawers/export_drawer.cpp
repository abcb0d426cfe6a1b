#include <QFileDialog>
#include <QHBoxLayout>

#include "app/drawers/drawers.h"
#include "app/widgets/path_text.h"
#include "film/film.h"
#include "output/name_pattern.h"

namespace tsukimi::app {

ExportDrawer::ExportDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Export"), session, parent) {
  heading(tr("Folder"));
  auto* row = new QHBoxLayout;
  folder_ = new QLineEdit;
  folder_->setObjectName("folder");
  folder_->setAccessibleName(tr("Folder of the export"));
  folder_->setPlaceholderText(tr("a new folder"));
  auto* choose = button("…", "choose_folder", tr("Choose a folder"));
  choose->setFixedWidth(34);
  row->addWidget(folder_, 1);
  row->addWidget(choose);
  column_->addLayout(row);
  heading(tr("Name, with # for the number"));
  pattern_ = new QLineEdit;
  pattern_->setObjectName("pattern");
  pattern_->setAccessibleName(tr("Names of the frames"));
  column_->addWidget(pattern_);
  heading(tr("Format"));
  auto* kind = new QHBoxLayout;
  format_ = new QComboBox;
  format_->setObjectName("format");
  format_->setAccessibleName(tr("Format"));
  format_->addItems({tr("JPEG"), tr("TIFF, 16 bit")});
  quality_ = new QSpinBox;
  quality_->setObjectName("quality");
  quality_->setAccessibleName(tr("Quality"));
  quality_->setRange(1, 100);
  quality_->setPrefix(tr("quality "));
  quality_->setKeyboardTracking(false);  // a number counts when it has been typed whole
  kind->addWidget(format_, 1);
  kind->addWidget(quality_, 1);
  column_->addLayout(kind);
  heading(tr("Size"));
  size_ = new QComboBox;
  size_->setObjectName("size");
  size_->setAccessibleName(tr("Size"));
  size_->addItem(tr("All pixels of the crop"), QSize());
  for (const QSize s : {QSize(1920, 1080), QSize(3840, 2160), QSize(1280, 720), QSize(1080, 1080),
                        QSize(1080, 1920)})
    size_->addItem(QString("%1×%2").arg(s.width()).arg(s.height()), s);
  column_->addWidget(size_);
  // Above the words, whose length changes: a button that moves away under the mouse is not pressed.
  export_ = button(tr("Export"), "primary", tr("Develop every frame at full quality (Ctrl+E)"));
  column_->addWidget(export_);
  summary_ = words("body");
  result_ = words("body");
  replace_ = button(tr("Replace the files that are there"), "replace",
                    tr("Export again over files of the same names"));
  column_->addWidget(replace_);
  replace_->hide();
  column_->addStretch(1);

  using Change = std::function<void(ExportSettings&)>;
  auto set = [this](const QString& text, const Change& change, const QString& gesture = {}) {
    session_.document.edit(
        text, [&](Shoot& s) { change(s.decisions.output); }, gesture);
  };
  connect(choose, &QPushButton::clicked, this, [this, set] {
    const QUrl dir = QFileDialog::getExistingDirectoryUrl(
        this, tr("Export to"), url_of(session_.document.decisions().output.folder));
    if (dir.isEmpty()) return;
    set(tr("Set export folder"), [&](ExportSettings& e) { e.folder = path_of(dir).string(); });
  });
  // As it is typed, so that the button is there for the first click; one step of undo for each time
  // that a field is worked on.
  auto typed = [this, set](QLineEdit* field, const QString& text,
                           std::string ExportSettings::*part) {
    auto take = [this, set, field, text, part] {
      set(
          text, [&](ExportSettings& e) { e.*part = path_of(field->text()).string(); },
          tr("%1, typed %2").arg(text).arg(typing_));
    };
    connect(field, &QLineEdit::textEdited, this, take);
    connect(field, &QLineEdit::editingFinished, this, [this, take] {
      take();
      ++typing_;
    });
  };
  typed(folder_, tr("Set export folder"), &ExportSettings::folder);
  typed(pattern_, tr("Set export name"), &ExportSettings::pattern);
  connect(format_, &QComboBox::activated, this, [=](int i) {
    set(tr("Set export format"),
        [&](ExportSettings& e) { e.format = i == 0 ? FileFormat::jpeg : FileFormat::tiff16; });
  });
  connect(quality_, &QSpinBox::valueChanged, this,
          [=](int v) { set(tr("Set export quality"), [&](ExportSettings& e) { e.quality = v; }); });
  connect(size_, &QComboBox::activated, this, [=, this](int i) {
    const QSize s = size_->itemData(i).toSize();
    set(tr("Set export size"), [&](ExportSettings& e) {
      e.size = s.isValid() ? Size{s.width(), s.height()} : Size{};
    });
  });
  connect(export_, &QPushButton::clicked, this, [this] { start(false); });
  connect(replace_, &QPushButton::clicked, this, [this] { start(true); });
}

void ExportDrawer::start(bool overwrite) {
  result_->setText("");
  replace_->hide();
  session_.exports.start(overwrite);
  refresh();
}

void ExportDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const Shoot& s = session_.document.shoot();
  const auto& e = s.decisions.output;
  if (!folder_->hasFocus()) folder_->setText(text_of(e.folder));
  if (!pattern_->hasFocus()) pattern_->setText(text_of(e.pattern));
  format_->setCurrentIndex(e.format == FileFormat::jpeg ? 0 : 1);
  quality_->blockSignals(true);
  quality_->setValue(e.quality);
  quality_->blockSignals(false);
  quality_->setEnabled(e.format == FileFormat::jpeg);
  const int at = e.size.width ? size_->findData(QSize(e.size.width, e.size.height)) : 0;
  size_->setCurrentIndex(
      at >= 0 ? at
              : (size_->addItem(QString("%1×%2").arg(e.size.width).arg(e.size.height),
                                QSize(e.size.width, e.size.height)),
                 size_->count() - 1));

  const int frames = static_cast<int>(film_frames(s).size());
  const Size size = output_size(s);
  QString problem;
  if (const auto ok = check_pattern(e.pattern, frames); !ok)
    problem = QString::fromStdString(ok.error().message);
  if (e.folder.empty()) problem = tr("Choose a folder to export to.");
  if (problem.isEmpty()) {
    // JPEG of this kind of picture comes to about a third of a byte per pixel at quality 92.
    const double bytes =
        e.format == FileFormat::tiff16 ? 6.0 : 0.34 * std::pow(2.0, (e.quality - 92) / 14.0);
    const QString last = shown_path(numbered_name(e.pattern, frames)) +
                         (e.format == FileFormat::jpeg ? ".jpg" : ".tif");
    const QString note = QString::fromStdString(shape_note(s)).toHtmlEscaped();
    summary_->setText(
        tr("%1 frames of %2×%3, the last is %4.<br>About %5 MB.")
            .arg(frames)
            .arg(size.width)
            .arg(size.height)
            .arg(last.toHtmlEscaped())
            .arg(bytes * size.width * size.height * frames / 1e6, 0, 'f', 0) +
        (note.isEmpty() ? "" : "<br><span style='color:#e8836b'>" + note + "</span>"));
  } else {
    summary_->setText("<span style='color:#e8836b'>" + problem.toHtmlEscaped() + "</span>");
  }
  const bool exporting = session_.exports.running();
  export_->setEnabled(problem.isEmpty() && !exporting);
  export_->setText(exporting ? tr("Exporting …") : tr("Export %1 frames").arg(frames));
  const auto& last = session_.exports.last();
  if (exporting || !last) return;
  replace_->setVisible(!*last && last->error().code == ErrorCode::exists);
  if (!*last) {
    result_->setText("<span style='color:#e8836b'>" +
                     QString::fromStdString(last->error().message).toHtmlEscaped() + "</span>");
    return;
  }
  const ExportReport& r = **last;
  QString text = tr("%1 frames written").arg(r.written);
  if (r.kept) text += tr(", %1 were there already").arg(r.kept);
  text += r.cancelled ? ". Cancelled; export again to go on from there." : ".";
  for (const auto& p : r.problems)
    text +=
        "<br><span style='color:#e8836b'>" + QString::fromStdString(p).toHtmlEscaped() + "</span>";
  result_->setText(text);
}

}  // namespace tsukimi::app
