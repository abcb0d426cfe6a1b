// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <cmath>

#include "app/convert/path_text.h"
#include "app/convert/value_text.h"
#include "app/drawers/export_pages.h"
#include "document/framing/output_size.h"
#include "output/name_pattern.h"

namespace tsukimi::app {
namespace {

// 16:9 where it is one of the usual shapes, else 1.53:1.
QString shape_text(Size s) {
  const double shape = static_cast<double>(s.width) / s.height;
  for (const auto& [w, h] : {std::pair{16, 9}, {3, 2}, {4, 3}, {1, 1}, {9, 16}, {2, 3}, {3, 4}})
    if (std::fabs(shape - static_cast<double>(w) / h) < 0.004)
      return QString("%1:%2").arg(w).arg(h);
  return QString("%1:1").arg(shape, 0, 'f', 2);
}

}  // namespace

ExportPage::ExportPage(Session& session) : session_(session) {
  column_ = new QVBoxLayout(this);
  column_->setContentsMargins(0, 0, 0, 0);
  column_->setSpacing(6);
}

void ExportPage::edit(const QString& text, const std::function<void(Decisions&)>& change,
                      const QString& gesture) {
  session_.document.edit(
      text, [&](Shoot& s) { change(s.decisions); }, gesture);
}

void ExportPage::follow(QLineEdit* line, const QString& text, Take take) {
  auto now = [this, line, text, take] {
    edit(
        text, [&](Decisions& d) { take(d, line->text()); },
        tr("%1, typed %2").arg(text).arg(typing_));
  };
  connect(line, &QLineEdit::textEdited, this, now);
  connect(line, &QLineEdit::editingFinished, this, [this, now] {
    now();
    ++typing_;
  });
}

QString ExportPage::size_words(const Shoot& shoot, Size size) const {
  QStringList out{tr("%1×%2 pixels, %3").arg(size.width).arg(size.height).arg(shape_text(size))};
  for (const std::string& note : {shape_note(shoot, size), enlarged_note(shoot, size)})
    if (!note.empty()) out << attention(QString::fromStdString(note));
  return out.join("<br>");
}

FramesPage::FramesPage(Session& session) : ExportPage(session) {
  on_ = check(tr("Make numbered frames"), "makes_frames", tr("A file for every frame of the film"));
  connect(on_, &QCheckBox::clicked, this, [this](bool on) {
    edit(on ? tr("Make frames") : tr("Make no frames"),
         [on](Decisions& d) { d.makes_frames = on; });
  });
  add_files();
  add_format();
  heading(tr("Size"));
  size_ = new SizeFields("");
  column_->addWidget(size_);
  pixels_ = words();
  connect(size_, &SizeFields::edited, this, [this](const PixelSize& pixels) {
    set(tr("Set export size"), [&](ExportSettings& e) { e.pixels = pixels; });
  });
  add_facts();
}

void FramesPage::set(const QString& text, const std::function<void(ExportSettings&)>& change) {
  edit(text, [&](Decisions& d) { change(d.output); });
}

void FramesPage::add_files() {
  heading(tr("Folder"));
  auto* row = line();
  folder_ = field<QLineEdit>("folder", tr("Folder of the export"));
  auto* choose = button("…", "choose_folder",
                        tr("Choose a folder; one that holds other files gets a new one in it"));
  choose->setFixedWidth(34);
  row->addWidget(folder_, 1);
  row->addWidget(choose);
  connect(choose, &QPushButton::clicked, this, &FramesPage::choose_folder);
  heading(tr("Names"));
  row = line();
  pattern_ = field<QLineEdit>(
      "pattern", tr("Names of the frames"),
      tr("# stands for a digit of the number. {shoot}, {date} and {time} are filled in: the folder "
         "of the shoot, and when its film begins"));
  first_number_ = field<QSpinBox>("first_number", tr("First number"),
                                  tr("Number of the film's first frame, 0 to 999999"));
  first_number_->setRange(0, 999999);
  first_number_->setPrefix(tr("from "));
  row->addWidget(pattern_, 3);
  row->addWidget(first_number_, 2);
  names_ = words();
  follow(folder_, tr("Set export folder"),
         [](Decisions& d, const QString& typed) { d.output.folder = path_of(typed).string(); });
  follow(pattern_, tr("Set export name"),
         [](Decisions& d, const QString& typed) { d.output.pattern = path_of(typed).string(); });
  connect(first_number_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set first number"), [&](ExportSettings& e) { e.first_number = v; });
  });
}

void FramesPage::add_format() {
  heading(tr("Format and colours"));
  auto* row = line();
  format_ = field<QComboBox>("format", tr("Format"));
  for (const FormatInfo& f : file_formats()) format_->addItem(words_of(f.label));
  space_ = field<QComboBox>("space", tr("Colour space"),
                            tr("The profile is in every file. sRGB looks right everywhere; wider "
                               "spaces are for those who "
                               "go on working. OpenEXR holds linear light in these primaries"));
  for (const ColourSpaceInfo& s : colour_spaces()) space_->addItem(words_of(s.label));
  row->addWidget(format_, 1);
  row->addWidget(space_, 1);
  row = line();
  quality_ = field<QSpinBox>("quality", tr("Quality"), tr("JPEG, 1 to 100; 92 shows no traces"));
  quality_->setRange(1, 100);
  quality_->setPrefix(tr("quality "));
  chroma_ = field<QComboBox>(
      "chroma", tr("Colour detail"),
      tr("Colour of every pixel (4:4:4), or of every four together (4:2:0): smaller files"));
  chroma_->addItems({tr("4:4:4"), tr("4:2:0")});
  compression_ = field<QComboBox>("compression", tr("Compression"),
                                  tr("None of them loses anything; smaller files take longer"));
  compression_->addItems({tr("not compressed"), tr("LZW"), tr("Deflate")});
  for (QWidget* w : std::initializer_list<QWidget*>{quality_, chroma_, compression_})
    row->addWidget(w, 1);
  connect(format_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set export format"), [&](ExportSettings& e) { e.format = static_cast<FileFormat>(i); });
  });
  connect(space_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set colour space"), [&](ExportSettings& e) { e.space = static_cast<ColourSpace>(i); });
  });
  connect(quality_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set export quality"), [&](ExportSettings& e) { e.quality = v; });
  });
  connect(chroma_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set colour detail"), [&](ExportSettings& e) { e.chroma = static_cast<Chroma>(i); });
  });
  connect(compression_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set compression"),
        [&](ExportSettings& e) { e.compression = static_cast<Compression>(i); });
  });
}

void FramesPage::add_facts() {
  heading(tr("In the files"));
  copyright_ = field<QLineEdit>("copyright", tr("Copyright"));
  copyright_->setPlaceholderText(tr("copyright"));
  column_->addWidget(copyright_);
  location_ = check(tr("Where the camera stood"), "location",
                    tr("The place goes into the files, if the camera noted it"));
  old_profile_ = check(tr("Profile for old viewers"), "oldProfile",
                       tr("The colour profile in version 2 instead of 4, which some old programs "
                          "do not read"));
  sidecars_ = check(tr("An XMP file beside each frame"), "sidecars",
                    tr("With the values of its look, for other programs"));
  follow(copyright_, tr("Set copyright"),
         [](Decisions& d, const QString& typed) { d.output.copyright = typed.toStdString(); });
  connect(location_, &QCheckBox::clicked, this, [this](bool on) {
    set(tr("Set place in files"), [&](ExportSettings& e) { e.location = on; });
  });
  connect(old_profile_, &QCheckBox::clicked, this, [this](bool on) {
    set(tr("Set profile version"), [&](ExportSettings& e) { e.icc = on ? 2 : 4; });
  });
  connect(sidecars_, &QCheckBox::clicked, this, [this](bool on) {
    set(tr("Set XMP files"), [&](ExportSettings& e) { e.sidecars = on; });
  });
}

// A folder with other things in it gets a new one for the frames.
void FramesPage::choose_folder() {
  const Shoot& shoot = session_.document.shoot();
  const std::filesystem::path now = export_folder(shoot, shoot.decisions.output);
  const QUrl dir =
      QFileDialog::getExistingDirectoryUrl(this, tr("Export to"), url_of(now.parent_path()));
  if (dir.isEmpty()) return;
  std::filesystem::path chosen = path_of(dir);
  std::error_code ec;
  if (!std::filesystem::is_empty(chosen, ec) && !ec &&
      !std::filesystem::exists(chosen / kManifestName, ec))
    chosen /= shoot.sequence.folder.filename().string() + "-frames";
  set(tr("Set export folder"), [&](ExportSettings& e) { e.folder = chosen.string(); });
}

void FramesPage::show_settings(const Shoot& s) {
  const ExportSettings& e = s.decisions.output;
  on_->setChecked(s.decisions.makes_frames);
  for (QWidget* w : findChildren<QWidget*>(Qt::FindDirectChildrenOnly))
    if (w != on_) w->setEnabled(s.decisions.makes_frames);
  folder_->setPlaceholderText(shown_path(export_folder(s, e)));
  if (!folder_->hasFocus()) folder_->setText(text_of(e.folder));
  if (!pattern_->hasFocus()) pattern_->setText(text_of(e.pattern));
  if (!copyright_->hasFocus()) copyright_->setText(QString::fromStdString(e.copyright));
  set_quietly(first_number_, e.first_number);
  format_->setCurrentIndex(static_cast<int>(e.format));
  space_->setCurrentIndex(static_cast<int>(e.space));
  const FormatInfo& format = info(e.format);
  set_quietly(quality_, e.quality);
  chroma_->setCurrentIndex(static_cast<int>(e.chroma));
  compression_->setCurrentIndex(static_cast<int>(e.compression));
  quality_->setVisible(format.quality);
  chroma_->setVisible(format.quality);
  compression_->setVisible(format.compressions);
  const Size size = output_size(s, e.pixels);
  size_->show_pixels(e.pixels, size);
  pixels_->setText(size_words(s, size));
  location_->setChecked(e.location);
  old_profile_->setChecked(e.icc == 2);
  old_profile_->setVisible(format.icc);
  sidecars_->setChecked(e.sidecars);
  const int frames = film_length(s);
  const std::string pattern = expanded_pattern(e.pattern, s);
  const auto named = check_pattern(pattern, e.first_number + frames - 1);
  const auto name = [&](int number) {
    return (shown_path(numbered_name(pattern, number)) + info(e.format).extension).toHtmlEscaped();
  };
  names_->setText(
      named ? tr("%1<br>… %2").arg(name(e.first_number), name(e.first_number + frames - 1))
            : attention(QString::fromStdString(named.error().message)));
}

}  // namespace tsukimi::app
