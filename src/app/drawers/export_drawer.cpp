#include <QFileDialog>
#include <QHBoxLayout>
#include <QSignalBlocker>

#include "app/drawers/drawers.h"
#include "app/widgets/path_text.h"
#include "app/widgets/style.h"
#include "app/widgets/value_text.h"
#include "film/film.h"
#include "output/name_pattern.h"
#include "output/space.h"

namespace tsukimi::app {
namespace {

// What the list of sizes stands for; the last two have fields of their own.
enum SizeKind { all_pixels, uhd, hd, longer_edge, exactly };
constexpr Size kUhd{3840, 2160}, kHd{1920, 1080};

SizeKind kind_of(const ExportSettings& e) {
  if (e.size == kUhd) return uhd;
  if (e.size == kHd) return hd;
  if (e.size.width > 0) return exactly;
  return e.long_edge > 0 ? longer_edge : all_pixels;
}

QString attention(const QString& text) {
  return QString("<span style='color:%1'>%2</span>")
      .arg(colour::coral.name(), text.toHtmlEscaped());
}
QString attention(const std::string& text) { return attention(QString::fromStdString(text)); }

QString amount(double bytes) {
  return bytes < 1e9 ? ExportDrawer::tr("%1 MB").arg(bytes / 1e6, 0, 'f', bytes < 1e7 ? 1 : 0)
                     : ExportDrawer::tr("%1 GB").arg(bytes / 1e9, 0, 'f', 1);
}

// 16:9 where it is one of the usual shapes, else 1.53:1.
QString shape_text(Size s) {
  const double shape = static_cast<double>(s.width) / s.height;
  for (const auto& [w, h] : {std::pair{16, 9}, {3, 2}, {4, 3}, {1, 1}, {9, 16}, {2, 3}, {3, 4}})
    if (std::fabs(shape - static_cast<double>(w) / h) < 0.004)
      return QString("%1:%2").arg(w).arg(h);
  return QString("%1:1").arg(shape, 0, 'f', 2);
}

void set_quietly(QSpinBox* box, int value) {
  const QSignalBlocker quiet(box);
  box->setValue(value);
}

}  // namespace

ExportDrawer::ExportDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Export"), session, parent) {
  column_->setSpacing(6);
  add_files();
  add_format();
  add_size();
  add_facts();
  column_->addSpacing(6);
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
  connect(&session_.exports, &Exports::finished, this, [this] { room_of_.clear(); });
  connect(export_, &QPushButton::clicked, this, [this] { start(false); });
  connect(replace_, &QPushButton::clicked, this, [this] { start(true); });
}

void ExportDrawer::set(const QString& text, const Change& change, const QString& gesture) {
  session_.document.edit(
      text, [&](Shoot& s) { change(s.decisions.output); }, gesture);
}

QHBoxLayout* ExportDrawer::line() {
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  column_->addLayout(row);
  return row;
}

template <typename Field>
Field* ExportDrawer::field(const char* name, const QString& accessible_name, const QString& tip) {
  auto* f = new Field;
  f->setObjectName(name);
  f->setAccessibleName(accessible_name);
  f->setToolTip(tip);
  if constexpr (std::is_same_v<Field, QSpinBox>)
    f->setKeyboardTracking(false);  // a number counts when it has been typed whole
  f->setMinimumWidth(text_px(58));  // long words of a list do not widen the drawer
  return f;
}

void ExportDrawer::follow(QLineEdit* edit, const QString& text, std::string ExportSettings::*part) {
  auto take = [this, edit, text, part] {
    set(
        text, [&](ExportSettings& e) { e.*part = path_of(edit->text()).string(); },
        tr("%1, typed %2").arg(text).arg(typing_));
  };
  connect(edit, &QLineEdit::textEdited, this, take);
  connect(edit, &QLineEdit::editingFinished, this, [this, take] {
    take();
    ++typing_;
  });
}

void ExportDrawer::add_files() {
  heading(tr("Folder"));
  auto* row = line();
  folder_ = field<QLineEdit>("folder", tr("Folder of the export"));
  auto* choose = button("…", "choose_folder",
                        tr("Choose a folder; one that holds other files gets a new one in it"));
  choose->setFixedWidth(34);
  row->addWidget(folder_, 1);
  row->addWidget(choose);
  connect(choose, &QPushButton::clicked, this, &ExportDrawer::choose_folder);
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
  follow(folder_, tr("Set export folder"), &ExportSettings::folder);
  follow(pattern_, tr("Set export name"), &ExportSettings::pattern);
  connect(first_number_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set first number"), [&](ExportSettings& e) { e.first_number = v; });
  });
}

void ExportDrawer::add_format() {
  heading(tr("Format and colours"));
  auto* row = line();
  format_ = field<QComboBox>("format", tr("Format"));
  for (int f = 0; f < kFileFormats; ++f)
    format_->addItem(words_of(info(static_cast<FileFormat>(f)).label));
  space_ = field<QComboBox>("space", tr("Colour space"),
                            tr("The profile is in every file. sRGB looks right everywhere; wider "
                               "spaces are for those who "
                               "go on working. OpenEXR holds linear light in these primaries"));
  for (int s = 0; s < kColourSpaces; ++s)
    space_->addItem(words_of(info(static_cast<ColourSpace>(s)).label));
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

void ExportDrawer::add_size() {
  heading(tr("Size"));
  auto* row = line();
  size_ = field<QComboBox>("size", tr("Size"));
  size_->addItems({tr("All pixels of the crop"), tr("UHD, 3840×2160"), tr("HD, 1920×1080"),
                   tr("Longer edge"), tr("Exactly")});
  long_edge_ = field<QSpinBox>("long_edge", tr("Longer edge, pixels"));
  width_ = field<QSpinBox>("width", tr("Width, pixels"));
  height_ = field<QSpinBox>("height", tr("Height, pixels"));
  row->addWidget(size_, 2);
  for (QSpinBox* box : {long_edge_, width_, height_}) {
    box->setRange(2, 65000);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    row->addWidget(box, 1);
  }
  pixels_ = words();
  connect(size_, &QComboBox::activated, this, [this](int i) {
    const Size now = output_size(session_.document.shoot());
    set(tr("Set export size"), [&](ExportSettings& e) {
      e.size = i == uhd ? kUhd : i == hd ? kHd : i == exactly ? now : Size{};
      // One that is neither of the named sizes, so that the fields stay.
      if (i == exactly && (e.size == kUhd || e.size == kHd)) e.size.height -= 2;
      e.long_edge = i == longer_edge ? std::max(now.width, now.height) : 0;
    });
  });
  connect(long_edge_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set export size"), [&](ExportSettings& e) { e.long_edge = v; });
  });
  for (QSpinBox* box : {width_, height_})
    connect(box, &QSpinBox::valueChanged, this, [this] {
      set(tr("Set export size"), [&](ExportSettings& e) {
        e.size = {width_->value(), height_->value()};
      });
    });
}

void ExportDrawer::add_facts() {
  heading(tr("In the files"));
  copyright_ = field<QLineEdit>("copyright", tr("Copyright"));
  copyright_->setPlaceholderText(tr("copyright"));
  column_->addWidget(copyright_);
  location_ = check(tr("Where the camera stood"), "location",
                    tr("The place goes into the files, if the camera noted it"));
  sidecars_ = check(tr("An XMP file beside each frame"), "sidecars",
                    tr("With the values of its look, for other programs"));
  follow(copyright_, tr("Set copyright"), &ExportSettings::copyright);
  connect(location_, &QCheckBox::clicked, this, [this](bool on) {
    set(tr("Set place in files"), [&](ExportSettings& e) { e.location = on; });
  });
  connect(sidecars_, &QCheckBox::clicked, this, [this](bool on) {
    set(tr("Set XMP files"), [&](ExportSettings& e) { e.sidecars = on; });
  });
}

// A folder with other things in it gets a new one for the frames.
void ExportDrawer::choose_folder() {
  const Shoot& shoot = session_.document.shoot();
  const QUrl dir = QFileDialog::getExistingDirectoryUrl(
      this, tr("Export to"), url_of(std::filesystem::path(export_folder(shoot)).parent_path()));
  if (dir.isEmpty()) return;
  std::filesystem::path chosen = path_of(dir);
  std::error_code ec;
  if (!std::filesystem::is_empty(chosen, ec) && !ec &&
      !std::filesystem::exists(chosen / kManifestName, ec))
    chosen /= shoot.sequence.folder.filename().string() + "-frames";
  set(tr("Set export folder"), [&](ExportSettings& e) { e.folder = chosen.string(); });
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
  show_settings(s);
  show_summary(s);
  show_result();
}

void ExportDrawer::show_settings(const Shoot& s) {
  const ExportSettings& e = s.decisions.output;
  folder_->setPlaceholderText(shown_path(export_folder(s)));
  if (!folder_->hasFocus()) folder_->setText(text_of(e.folder));
  if (!pattern_->hasFocus()) pattern_->setText(text_of(e.pattern));
  if (!copyright_->hasFocus()) copyright_->setText(text_of(e.copyright));
  set_quietly(first_number_, e.first_number);
  format_->setCurrentIndex(static_cast<int>(e.format));
  space_->setCurrentIndex(static_cast<int>(e.space));
  const bool jpeg = e.format == FileFormat::jpeg,
             tiff = e.format == FileFormat::tiff8 || e.format == FileFormat::tiff16;
  set_quietly(quality_, e.quality);
  chroma_->setCurrentIndex(static_cast<int>(e.chroma));
  compression_->setCurrentIndex(static_cast<int>(e.compression));
  quality_->setVisible(jpeg);
  chroma_->setVisible(jpeg);
  compression_->setVisible(tiff);
  const SizeKind kind = kind_of(e);
  size_->setCurrentIndex(kind);
  long_edge_->setVisible(kind == longer_edge);
  width_->setVisible(kind == exactly);
  height_->setVisible(kind == exactly);
  set_quietly(long_edge_, std::max(2, e.long_edge));
  set_quietly(width_, std::max(2, e.size.width));
  set_quietly(height_, std::max(2, e.size.height));
  location_->setChecked(e.location);
  sidecars_->setChecked(e.sidecars);
}

// Apart from the window's thread: a disk that does not answer would hold it.
void ExportDrawer::look_for_room(const std::string& folder) {
  if (folder == room_of_ || is_running(looking_)) return;
  looking_ = session_.tasks.start(
      tr("Free space"),
      [this, folder](const Work&) -> TaskList::Finish {
        return [this, folder, room = free_space(folder)] {
          room_of_ = folder;
          room_ = room;
          if (isVisible()) refresh();
        };
      },
      false);
}

void ExportDrawer::show_summary(const Shoot& s) {
  const ExportSettings& e = s.decisions.output;
  const int frames = static_cast<int>(film_frames(s).size());
  const Size size = output_size(s);
  const std::string pattern = expanded_pattern(e.pattern, s);
  const auto named = check_pattern(pattern, e.first_number + frames - 1);
  const auto name = [&](int number) {
    return shown_path(numbered_name(pattern, number)) + info(e.format).extension;
  };
  names_->setText(named ? tr("%1<br>… %2")
                              .arg(name(e.first_number).toHtmlEscaped(),
                                   name(e.first_number + frames - 1).toHtmlEscaped())
                        : attention(named.error().message));
  QStringList pixels{tr("%1×%2 pixels, %3").arg(size.width).arg(size.height).arg(shape_text(size))};
  for (const std::string& note : {shape_note(s), enlarged_note(s)})
    if (!note.empty()) pixels << attention(note);
  pixels_->setText(pixels.join("<br>"));
  const double needed = estimated_bytes(e, size) * frames;
  look_for_room(export_folder(s));
  const auto& there = room_;
  const QString room = there
                           ? tr("About %1; %2 are free there.").arg(amount(needed), amount(*there))
                           : tr("About %1.").arg(amount(needed));
  summary_->setText(there && needed > *there ? attention(room) : room);
  const bool exporting = session_.exports.running();
  export_->setEnabled(named && !exporting);
  export_->setText(exporting ? tr("Exporting …") : tr("Export %1 frames").arg(frames));
}

void ExportDrawer::show_result() {
  const auto& last = session_.exports.last();
  if (session_.exports.running() || !last) return;
  replace_->setVisible(!*last && last->error().code == ErrorCode::exists);
  if (!*last) return result_->setText(attention(last->error().message));
  const ExportReport& r = **last;
  QString text = tr("%1 frames written").arg(r.written);
  if (r.kept) text += tr(", %1 were there already").arg(r.kept);
  text += r.cancelled ? tr(". Cancelled; export again to go on from there.") : tr(".");
  for (const auto& p : r.problems) text += "<br>" + attention(p);
  result_->setText(text);
}

}  // namespace tsukimi::app
