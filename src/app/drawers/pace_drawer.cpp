// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/pace_drawer.h"

#include <QSignalBlocker>
#include <cmath>

#include "app/convert/value_text.h"
#include "app/widgets/tabs.h"
#include "document/framing/output_size.h"
#include "document/values.h"

namespace tsukimi::app {
namespace {

constexpr double kFilmRates[] = {12, 15, 18, 23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60};
constexpr double kEven = 1e-3;  // speeds that differ by less are one

}  // namespace

PaceDrawer::PaceDrawer(Session& session, QWidget* parent) : Drawer(tr("Pace"), session, parent) {
  auto* tabs = line();
  tabs->setSpacing(4);
  facts_ = words("body");
  pages_ = new QStackedWidget;
  column_->addWidget(pages_);
  add_speed_page();
  add_between_page();
  add_ends_page();
  for (QToolButton* tab : tabs_) tabs->addWidget(tab);
  column_->addStretch(1);
  open_page(0);
}

QVBoxLayout* PaceDrawer::add_page(const QString& name, const QString& shown) {
  const int index = static_cast<int>(tabs_.size());
  QVBoxLayout* page = app::add_page(pages_, tabs_, "pace_" + name, shown);
  page->setSpacing(column_->spacing());
  connect(tabs_.back(), &QToolButton::clicked, this, [this, index] { open_page(index); });
  return page;
}

void PaceDrawer::open_page(int page) { show_page(pages_, tabs_, page); }

void PaceDrawer::showEvent(QShowEvent* e) {
  session_.keys.set_target({kPace});
  Drawer::showEvent(e);
}

void PaceDrawer::edit(const QString& text, const std::function<void(Pace&)>& change,
                      const QString& gesture) {
  session_.document.edit(
      text, [&](Shoot& s) { change(s.decisions.pace); }, gesture);
}

Ruler* PaceDrawer::add_ruler(Ruler::Spec spec, double Pace::*value) {
  const QString what = tr("Set %1").arg(spec.label.toLower()), name = spec.name;
  auto* ruler = new Ruler(std::move(spec));
  column_->addWidget(ruler);
  connect(ruler, &Ruler::edited, this, [this, what, name, value](double v, int drag) {
    edit(
        what, [&](Pace& p) { p.*value = v; }, QString("%1 %2").arg(name).arg(drag));
  });
  return ruler;
}

QComboBox* PaceDrawer::add_choice(const char* name, const QString& title,
                                  const QStringList& choices) {
  auto* box = field<QComboBox>(name, title);
  box->addItems(choices);
  column_->addWidget(box);
  return box;
}

void PaceDrawer::add_speed_page() {
  QVBoxLayout* const outer = std::exchange(column_, add_page("speed", tr("Speed")));
  heading(tr("Rate"));
  rate_ = field<QComboBox>("rate", tr("Frames of the film in a second"));
  for (double fps : kFilmRates) rate_->addItem(tr("%1 fps").arg(fps), fps);
  column_->addWidget(rate_);
  connect(rate_, &QComboBox::activated, this, [this](int i) {
    session_.document.edit(tr("Frame rate"),
                           [&](Shoot& s) { s.decisions.fps = rate_->itemData(i).toDouble(); });
  });
  heading(tr("Speed"));
  keys_ = new KeyRow(session_, "speed_key", tr("Make or remove a key frame of the speed here (K)"));
  column_->addWidget(keys_);
  speed_ = new KeyedRuler(session_, Param::speed, [] { return Setting(Param::speed); });
  column_->addWidget(speed_);
  fit_words_ = words();
  QHBoxLayout* fit = line();
  fits_ = new QCheckBox(tr("Fit to a length"));
  fits_->setObjectName("fit_length");
  fits_->setToolTip(tr("The film lasts so long; the speed follows, and keeps its course"));
  length_ = field<QDoubleSpinBox>("length", tr("Length of the film in seconds"));
  length_->setRange(0.1, kLongestFilm);
  length_->setDecimals(2);
  length_->setSuffix(tr(" s"));
  length_->setKeyboardTracking(false);
  fit->addWidget(fits_);
  fit->addWidget(length_, 1);
  connect(fits_, &QCheckBox::clicked, this, [this](bool on) {
    const double now = session_.document.courses().film.count() / session_.document.decisions().fps;
    edit(tr("Fit to a length"), [&](Pace& p) { p.length = on ? std::max(0.1, now) : 0; });
  });
  connect(length_, &QDoubleSpinBox::valueChanged, this, [this](double seconds) {
    edit(tr("Fit to a length"), [&](Pace& p) { p.length = seconds; });
  });
  column_ = outer;
}

void PaceDrawer::add_between_page() {
  QVBoxLayout* const outer = std::exchange(column_, add_page("between", tr("Between")));
  heading(tr("Where it runs faster than shot"));
  faster_ =
      add_choice("faster", tr("Faster than shot"), {tr("Skip frames"), tr("Average all frames")});
  faster_words_ = words();
  connect(faster_, &QComboBox::activated, this,
          [this](int i) { edit(tr("Faster"), [&](Pace& p) { p.faster = Faster(i); }); });
  heading(tr("Where it runs slower"));
  slower_ = add_choice("slower", tr("Slower than shot"),
                       {tr("Frames made along the motion"), tr("Dissolve"), tr("Repeat frames")});
  slower_words_ = words();
  connect(slower_, &QComboBox::activated, this,
          [this](int i) { edit(tr("Slower"), [&](Pace& p) { p.slower = Slower(i); }); });
  gaps_fields_ = new QWidget;
  column_->addWidget(gaps_fields_);
  auto* fields = new QVBoxLayout(gaps_fields_);
  fields->setContentsMargins(0, 0, 0, 0);
  fields->setSpacing(column_->spacing());
  QVBoxLayout* const page = std::exchange(column_, fields);
  heading(tr("Where the camera paused"));
  gaps_ = add_choice("gaps", tr("Gaps in time"),
                     {tr("Close up"), tr("Stand still for as long"), tr("Fill along the motion")});
  gaps_words_ = words();
  connect(gaps_, &QComboBox::activated, this,
          [this](int i) { edit(tr("Gaps"), [&](Pace& p) { p.gaps = GapPolicy(i); }); });
  column_ = page;
  heading(tr("Motion blur"));
  blur_ = add_ruler({"blur", tr("Shutter"), "°",
                     tr("How much of each frame of the film its shutter is open: 180 is half of "
                        "it, 720 twice as long as a frame lasts."),
                     0, kMostBlur, 0, 5, 0},
                    &Pace::blur);
  along_ = check(tr("Along what moves"), "blur_along",
                 tr("Else neighbouring frames dissolve into each other"));
  connect(along_, &QCheckBox::clicked, this,
          [this](bool on) { edit(tr("Motion blur"), [&](Pace& p) { p.blur_along = on; }); });
  column_ = outer;
}

void PaceDrawer::add_ends_page() {
  QVBoxLayout* const outer = std::exchange(column_, add_page("ends", tr("Ends")));
  auto* what = words();
  what->setText(tr("The light comes up and goes down in even stops, as an iris opens and closes."));
  fade_in_ = add_ruler(
      {"fade_in", tr("Fade in"), "s", tr("Over so many seconds of the film."), 0, 20, 0, 0.1, 1},
      &Pace::fade_in);
  fade_out_ = add_ruler(
      {"fade_out", tr("Fade out"), "s", tr("Over so many seconds of the film."), 0, 20, 0, 0.1, 1},
      &Pace::fade_out);
  fade_to_ =
      add_choice("fade_to", tr("Fades to"), {tr("From and to black"), tr("From and to white")});
  connect(fade_to_, &QComboBox::activated, this,
          [this](int i) { edit(tr("Fade"), [&](Pace& p) { p.fade_white = i == 1; }); });
  column_ = outer;
}

// What the film becomes, frames of the sequence and of the film apart.
QString PaceDrawer::facts() const {
  const Shoot& s = session_.document.shoot();
  const int film = session_.document.courses().film.count();
  const auto kept = std::ssize(kept_frames_of(s).frames);
  QString text = tr("%1 frames of the sequence, %2 of the film: <b>%3 s</b>")
                     .arg(kept)
                     .arg(film)
                     .arg(film / s.decisions.fps, 0, 'f', 2);
  if (const std::string note = fades_note(s); !note.empty())
    text += "<br>" + words_of(note.c_str());
  return text;
}

void PaceDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const Pace& p = pace();
  mark_tab(tabs_[0], !p.speed.keys.empty() || p.length > 0);
  mark_tab(tabs_[1], p.blur > 0 || p.faster != Faster::skip || p.slower != Slower::motion ||
                         p.gaps != GapPolicy::close);
  mark_tab(tabs_[2], p.fade_in > 0 || p.fade_out > 0);
  facts_->setText(facts());
  show_speed();
  show_between();
  fade_in_->set_value(p.fade_in);
  fade_out_->set_value(p.fade_out);
  fade_to_->setCurrentIndex(p.fade_white ? 1 : 0);
}

void PaceDrawer::show_speed() {
  const Shoot& s = session_.document.shoot();
  const Pace& p = pace();
  const double fps = s.decisions.fps;
  int i = 0;
  while (i < rate_->count() && std::fabs(rate_->itemData(i).toDouble() - fps) > kEven) ++i;
  if (i == rate_->count()) rate_->addItem(tr("%1 fps").arg(fps), fps);
  rate_->setCurrentIndex(i);
  keys_->refresh();
  const bool stale =
      std::exchange(shown_runs_, session_.document.version()) != session_.document.version();
  std::vector<std::pair<int, Easing>> keys;
  for (int k : key_places(s, {kPace})) keys.emplace_back(k, easing_at(s, k, {kPace}));
  const tsukimi::Course course = course_of(s, {kPace});
  speed_->show(course, keys, stale);
  const bool fits = p.length > 0;
  fits_->setChecked(fits);
  length_->setEnabled(fits);
  const FilmFrames& film = session_.document.courses().film;
  const QSignalBlocker quiet(length_);
  if (!length_->hasFocus() || fits) length_->setValue(fits ? p.length : film.count() / fps);
  const int here = session_.playhead.frame();
  const double now = film.speed(here);
  fit_words_->setText(
      fits                         ? tr("Here, as it fits: %1 × as shot").arg(now, 0, 'f', 2)
      : std::fabs(now - 1) < kEven ? tr("As shot: a frame of the sequence is a frame of the film.")
      : now > 1
          ? tr("Faster than shot: %1 frames pass in one of the film.").arg(now, 0, 'f', 2)
          : tr("Slower than shot: %1 frames of the film are made of one.").arg(1 / now, 0, 'f', 2));
}

void PaceDrawer::show_between() {
  const Pace& p = pace();
  faster_->setCurrentIndex(static_cast<int>(p.faster));
  faster_words_->setText(p.faster == Faster::skip
                             ? tr("Each frame stays as sharp as it is; fast things jump.")
                             : tr("Smooth, nothing is lost; what moves is blurred."));
  slower_->setCurrentIndex(static_cast<int>(p.slower));
  slower_words_->setText(
      p.slower == Slower::motion
          ? tr("What moves is made on its way. Where that cannot be trusted (water, what comes "
               "out from behind) it dissolves.")
      : p.slower == Slower::dissolve ? tr("Soft; what moves is seen twice for a moment.")
                                     : tr("Nothing is made; the motion jerks."));
  const auto& gaps = session_.document.shoot().sequence.gaps;
  gaps_fields_->setVisible(!gaps.empty());
  gaps_->setCurrentIndex(static_cast<int>(p.gaps));
  QStringList where;
  for (const Gap& gap : gaps) where << tr("%1 after frame %2").arg(gap.missing).arg(gap.after + 1);
  gaps_words_->setText(
      tr("Missing: %1").arg(where.mid(0, 4).join(", ") + (where.size() > 4 ? " …" : "")));
  blur_->set_value(p.blur);
  along_->setChecked(p.blur_along);
  along_->setEnabled(p.blur > 0 || p.faster == Faster::average);
}

}  // namespace tsukimi::app
