// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QSignalBlocker>
#include <cmath>

#include "app/convert/path_text.h"
#include "app/convert/value_text.h"
#include "app/drawers/export_pages.h"
#include "document/framing/output_size.h"
#include "output/name_pattern.h"

namespace tsukimi::app {
namespace {

constexpr double kRates[] = {0, 12, 15, 23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60};

// Fields that have just one answer say it, and cannot be changed.
template <typename Values, typename Text, typename Value>
void fill(QComboBox* box, const Values& values, const Text& text, Value now) {
  box->clear();
  int at = 0;
  for (const auto& v : values) {
    if (v == now) at = box->count();
    box->addItem(text(v), static_cast<int>(v));
  }
  box->setCurrentIndex(at);
  box->setEnabled(box->count() > 1);
}

// The file's ending says its kind, as on the command line.
void set_file(FilmSettings& film, const std::filesystem::path& file) {
  film.file = file.string();
  const auto kinds = containers();
  if (std::ranges::find(kinds, file.extension().string()) != kinds.end())
    set_container(film, file.extension().string());
}

}  // namespace

FilmPage::FilmPage(Session& session) : ExportPage(session) {
  add_file();
  add_codec();
  heading(tr("Size"));
  size_ = new SizeFields("film_");
  column_->addWidget(size_);
  pixels_ = words();
  connect(size_, &SizeFields::edited, this, [this](const PixelSize& pixels) {
    set(tr("Set film size"), [&](FilmSettings& f) { f.pixels = pixels; });
  });
  add_beside();
}

void FilmPage::set(const QString& text, const std::function<void(FilmSettings&)>& change) {
  edit(text, [&](Decisions& d) {
    if (film_ < std::ssize(d.films)) change(d.films[static_cast<std::size_t>(film_)]);
  });
}

void FilmPage::add_file() {
  heading(tr("File"));
  auto* row = line();
  file_ = field<QLineEdit>("film_file", tr("File of the film"));
  auto* choose = button("…", "choose_film", tr("Choose where the film goes"));
  choose->setFixedWidth(34);
  row->addWidget(file_, 1);
  row->addWidget(choose);
  connect(choose, &QPushButton::clicked, this, &FilmPage::choose_file);
  follow(file_, tr("Set film file"), [this](Decisions& d, const QString& typed) {
    if (film_ < std::ssize(d.films))
      set_file(d.films[static_cast<std::size_t>(film_)], path_of(typed));
  });
  row = line();
  container_ = field<QComboBox>("container", tr("Kind of file"));
  for (const auto& c : containers()) container_->addItem(QString::fromStdString(c));
  codec_ = field<QComboBox>(
      "codec", tr("Codec"),
      tr("H.264 plays everywhere; H.265 and AV1 are smaller; ProRes is for editing; FFV1 loses "
         "nothing; VP9 and AV1 are for pages"));
  row->addWidget(container_, 2);
  row->addWidget(codec_, 3);
  connect(container_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set kind of film"), [&](FilmSettings& f) {
      set_container(f, containers()[static_cast<std::size_t>(i)]);
      if (!f.file.empty())
        f.file = std::filesystem::path(f.file).replace_extension(f.container).string();
    });
  });
  connect(codec_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set codec"),
        [&](FilmSettings& f) { set_codec(f, fitting_[static_cast<std::size_t>(i)]); });
  });
}

void FilmPage::add_codec() {
  heading(tr("Quality and colours"));
  auto* row = line();
  by_ = field<QComboBox>("film_by", tr("By quality or by bit rate"));
  by_->addItems({tr("by quality"), tr("by bit rate")});
  quality_ = field<QSpinBox>("film_quality", tr("Quality"),
                             tr("0 to 100, the same for every codec; 85 shows no traces"));
  quality_->setRange(0, 100);
  bitrate_ = field<QSpinBox>("film_bitrate", tr("Bit rate"), tr("Megabits a second"));
  bitrate_->setRange(1, 2000);
  bitrate_->setSuffix(tr(" Mbit/s"));
  row->addWidget(by_, 1);
  row->addWidget(quality_, 1);
  row->addWidget(bitrate_, 1);
  row = line();
  bits_ = field<QComboBox>("film_bits", tr("Bits of a sample"),
                           tr("10 bit shows no steps in skies; not every player takes it"));
  chroma_ = field<QComboBox>("film_chroma", tr("Colour detail"),
                             tr("Colour of every four pixels together (4:2:0), of two (4:2:2), or "
                                "of each (4:4:4)"));
  space_ = field<QComboBox>("film_space", tr("Colour space"));
  space_->setToolTip(
      tr("PQ and HLG hold light above white, for screens that show it; H.265 or AV1 of 10 bit"));
  for (ColourSpace s : {ColourSpace::rec709, ColourSpace::rec2020})
    space_->addItem(words_of(info(s).label));
  space_->addItems({tr("Rec. 2020, PQ"), tr("Rec. 2020, HLG")});
  rate_ = field<QComboBox>("film_rate", tr("Frames a second"), tr("Frames a second of this film"));
  row->addWidget(bits_, 1);
  row->addWidget(chroma_, 1);
  column_->addWidget(space_);
  column_->addWidget(rate_);
  connect(by_, &QComboBox::activated, this, [this](int i) {
    set(tr("Set quality of the film"), [&](FilmSettings& f) {
      constexpr long long kMega = 1'000'000;
      f.bitrate = i == 1 ? bitrate_->value() * kMega : 0;
    });
  });
  connect(quality_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set quality of the film"), [&](FilmSettings& f) { f.quality = v; });
  });
  connect(bitrate_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set bit rate"), [&](FilmSettings& f) { f.bitrate = v * 1'000'000LL; });
  });
  connect(bits_, &QComboBox::activated, this, [this] {
    set(tr("Set bits"), [&](FilmSettings& f) {
      f.bits = bits_->currentData().toInt();
      if (f.bits < 10) set_light(f, FilmLight::standard);  // which takes no fewer
    });
  });
  connect(chroma_, &QComboBox::activated, this, [this] {
    set(tr("Set colour detail"), [&](FilmSettings& f) {
      f.sampling = static_cast<Sampling>(chroma_->currentData().toInt());
    });
  });
  connect(space_, &QComboBox::activated, this, [this] {
    set(tr("Set colour space"), [&](FilmSettings& f) {
      const int i = space_->currentIndex();
      f.space = i == 0 ? ColourSpace::rec709 : ColourSpace::rec2020;
      set_light(f, i == 2 ? FilmLight::pq : i == 3 ? FilmLight::hlg : FilmLight::standard);
    });
  });
  connect(rate_, &QComboBox::activated, this, [this] {
    set(tr("Set rate of the film"),
        [&](FilmSettings& f) { f.fps = rate_->currentData().toDouble(); });
  });
}

void FilmPage::add_beside() {
  heading(tr("With it"));
  auto* row = line();
  sound_ = field<QLineEdit>("film_sound", tr("Sound"),
                            tr("A file of sound; it ends with the film, or before it"));
  sound_->setPlaceholderText(tr("no sound"));
  choose_sound_ = button("…", "choose_sound", tr("Choose a file of sound"));
  choose_sound_->setFixedWidth(34);
  row->addWidget(sound_, 1);
  row->addWidget(choose_sound_);
  connect(choose_sound_, &QPushButton::clicked, this, &FilmPage::choose_sound);
  follow(sound_, tr("Set sound"), [this](Decisions& d, const QString& typed) {
    if (film_ < std::ssize(d.films))
      d.films[static_cast<std::size_t>(film_)].sound = path_of(typed).string();
  });
  row = line();
  poster_ = new QCheckBox(tr("A frame as a JPEG"));
  poster_->setObjectName("poster");
  poster_->setToolTip(tr("Beside the film, with its name: the poster frame"));
  poster_number_ = field<QSpinBox>("poster_number", tr("Which frame of the film"));
  poster_number_->setPrefix(tr("frame "));
  row->addWidget(poster_, 3);
  row->addWidget(poster_number_, 2);
  auto* remove = button(tr("Remove this film"), "remove_film", "");
  column_->addWidget(remove);
  connect(poster_, &QCheckBox::clicked, this, [this](bool on) {
    set(tr("Set poster frame"),
        [&](FilmSettings& f) { f.poster = on ? session_.playhead.frame() : -1; });
  });
  connect(poster_number_, &QSpinBox::valueChanged, this, [this](int v) {
    set(tr("Set poster frame"), [&](FilmSettings& f) { f.poster = v - 1; });
  });
  connect(remove, &QPushButton::clicked, this, [this] {
    edit(tr("Remove a film"), [&](Decisions& d) {
      if (film_ < std::ssize(d.films)) d.films.erase(d.films.begin() + film_);
    });
    emit removed();
  });
}

void FilmPage::choose_file() {
  const Shoot& s = session_.document.shoot();
  if (film_ >= std::ssize(s.decisions.films)) return;
  const FilmSettings& film = s.decisions.films[static_cast<std::size_t>(film_)];
  const QUrl file = QFileDialog::getSaveFileUrl(
      this, tr("Where the film goes"), url_of(film_file(s, film)),
      tr("Films (*%1)").arg(QString::fromStdString(film.container)), nullptr,
      QFileDialog::DontConfirmOverwrite);  // it is asked when it is made
  if (!file.isEmpty())
    set(tr("Set film file"), [&](FilmSettings& f) { set_file(f, path_of(file)); });
}

void FilmPage::choose_sound() {
  const QUrl file = QFileDialog::getOpenFileUrl(
      this, tr("Sound of the film"), {}, tr("Sound (*.wav *.flac *.m4a *.mp3 *.ogg *.opus)"));
  if (!file.isEmpty())
    set(tr("Set sound"), [&](FilmSettings& f) { f.sound = path_of(file).string(); });
}

void FilmPage::show_settings(const Shoot& s) {
  if (film_ >= std::ssize(s.decisions.films)) return;
  const FilmSettings& f = s.decisions.films[static_cast<std::size_t>(film_)];
  const CodecInfo& codec = info(f.codec);
  file_->setPlaceholderText(shown_path(film_file(s, f)));
  if (!file_->hasFocus()) file_->setText(text_of(f.file));
  container_->setCurrentText(QString::fromStdString(f.container));
  fitting_.clear();
  for (const CodecInfo& c : codecs())
    if (std::ranges::find(c.containers, f.container) != c.containers.end())
      fitting_.push_back(c.id);
  fill(
      codec_, fitting_, [](Codec c) { return words_of(info(c).label); }, f.codec);
  by_->setVisible(codec.has_quality);
  by_->setCurrentIndex(f.bitrate > 0 ? 1 : 0);
  quality_->setVisible(codec.has_quality && f.bitrate == 0);
  set_quietly(quality_, static_cast<int>(std::lround(f.quality)));
  bitrate_->setVisible(f.bitrate > 0);
  if (f.bitrate > 0) set_quietly(bitrate_, static_cast<int>(f.bitrate / 1'000'000));
  const bool gif = f.codec == Codec::gif;
  fill(
      bits_, codec.bits, [](int b) { return tr("%1 bit").arg(b); }, f.bits);
  fill(
      chroma_, codec.sampling,
      [](Sampling v) {
        const char* name = kSamplings[v].name;
        return QString("%1:%2:%3").arg(name[0]).arg(name[1]).arg(name[2]);
      },
      f.sampling);
  space_->setCurrentIndex(f.light == FilmLight::hlg         ? 3
                          : f.light == FilmLight::pq        ? 2
                          : f.space == ColourSpace::rec2020 ? 1
                                                            : 0);
  for (QWidget* w : {bits_, chroma_, space_}) w->setVisible(!gif);
  std::vector<double> rates(std::begin(kRates), std::end(kRates));
  if (std::ranges::find(rates, f.fps) == rates.end()) rates.push_back(f.fps);
  rate_->clear();
  for (double r : rates)
    rate_->addItem(
        r == 0 ? tr("%1 fps, the rate of the shoot").arg(s.decisions.fps) : tr("%1 fps").arg(r), r);
  rate_->setCurrentIndex(static_cast<int>(std::ranges::find(rates, f.fps) - rates.begin()));
  const Size size = film_size(s, f);
  size_->show_pixels(f.pixels, size);
  pixels_->setText(size_words(s, size));
  if (!sound_->hasFocus()) sound_->setText(text_of(f.sound));
  sound_->setVisible(!gif);
  choose_sound_->setVisible(!gif);
  const int frames = film_length(s);
  poster_->setChecked(f.poster >= 0);
  poster_number_->setVisible(f.poster >= 0);
  const QSignalBlocker quiet(poster_number_);
  poster_number_->setRange(1, std::max(1, frames));
  set_quietly(poster_number_, std::clamp(f.poster + 1, 1, std::max(1, frames)));
}

}  // namespace tsukimi::app
