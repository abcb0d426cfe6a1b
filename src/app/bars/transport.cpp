// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bars/transport.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QMouseEvent>
#include <cmath>

#include "app/convert/value_text.h"
#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {
static constexpr auto kBetween = " · ";

Transport::Transport(Session& session, Preview& preview, PictureView& picture, QWidget* parent)
    : QWidget(parent), session_(session), picture_(picture), player_(session, preview) {
  setObjectName("transport");
  setFixedHeight(text_px(32));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(10, 0, 10, 0);
  row->setSpacing(6);
  play_ = add_button(tr("Play"), "play", tr("Play or stop (Space)"));
  play_->setCheckable(true);
  play_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  play_->setIcon(family_icon("play"));
  play_->setMinimumWidth(76);
  round_ =
      add_button(tr("Loop"), "round", tr("At the end: from the beginning, back again, or stop"));
  round_->setMinimumWidth(74);
  place_ = new QLabel(this);
  place_->setObjectName("place");
  place_->installEventFilter(this);
  // What it says never moves what stands beside it.
  place_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  row->addWidget(place_, 1);
  range_ = new QLabel(this);
  range_->setObjectName("quiet");
  row->addWidget(range_);
  fps_ = new QComboBox(this);
  fps_->setObjectName("fps");
  fps_->setToolTip(tr("Frame rate of the film and of playing"));
  fps_->setAccessibleName(tr("Frame rate"));
  for (const char* r : {"12", "15", "23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60"})
    fps_->addItem(QString(r) + tr(" fps"), QString(r).toDouble());
  row->addWidget(fps_);
  sheet_button =
      add_button(tr("Sheet"), "sheet", tr("Contact sheet of all frames beside the picture (T)"));
  neighbours_button = add_button(tr("Neighbours"), "neighbours",
                                 tr("This frame between those before and after it (N)"));
  seam_button =
      add_button(tr("Seam"), "seam",
                 tr("Left of a seam that can be dragged: as shot, a pinned frame, or a kept "
                    "version (S)"));
  for (auto* b : {sheet_button, neighbours_button, seam_button}) b->setCheckable(true);
  compare_menu = new QMenu(tr("Com&pare"), this);
  compare_menu->setObjectName("compare");
  connect(compare_menu, &QMenu::aboutToShow, this, &Transport::fill_compare_menu);
  fill_compare_menu();
  seam_button->setPopupMode(QToolButton::MenuButtonPopup);
  seam_button->setMenu(compare_menu);
  zoom_ = new QComboBox(this);
  zoom_->setObjectName("zoom");
  zoom_->setToolTip(tr("How large the picture is (Z: fit or 100 %; the wheel on the picture)"));
  zoom_->setAccessibleName(tr("Size of the picture"));
  for (double step : Zoom::kSteps)
    zoom_->addItem(step == Zoom::kFit ? tr("Fit") : QString("%1 %").arg(100 * step), step);
  row->addWidget(zoom_);
  connect(play_, &QToolButton::clicked, this, &Transport::toggle_play);
  connect(round_, &QToolButton::clicked, this, [this] {
    player_.set_round(Player::Round((static_cast<int>(player_.round()) + 1) % 3));
  });
  connect(&player_, &Player::changed, this, &Transport::show_playing);
  connect(neighbours_button, &QToolButton::toggled, &picture, &PictureView::set_neighbours);
  connect(seam_button, &QToolButton::toggled, &picture, &PictureView::set_seam);
  connect(&session_.compare, &Compare::changed, this, [this] {
    if (session_.compare.with() != Compare::With::as_shot && !session_.judging.beside())
      seam_button->setChecked(true);
  });
  connect(zoom_, &QComboBox::activated, this,
          [this](int i) { picture_.set_zoom(zoom_->itemData(i).toDouble()); });
  connect(&picture, &PictureView::zoom_changed, this, &Transport::show_zoom);
  connect(&picture, &PictureView::pointer_moved, this, &Transport::show_words);
  connect(&picture.shown(), &ShownPicture::picture_changed, this, &Transport::show_words);
  connect(fps_, &QComboBox::activated, this, [this](int i) {
    session_.document.edit(tr("Set frame rate"),
                           [&](Shoot& s) { s.decisions.fps = fps_->itemData(i).toDouble(); });
  });
  session_.on_change(this, [this] { show_place(); });
  show_place();
}

QToolButton* Transport::add_button(const QString& text, const QString& name, const QString& tip) {
  auto* b = new QToolButton(this);
  b->setText(text);
  b->setObjectName(name);
  b->setToolTip(tip);
  b->setFocusPolicy(Qt::TabFocus);
  layout()->addWidget(b);
  return b;
}

void Transport::fill_compare_menu() {
  compare_menu->clear();
  const Compare& compare = session_.compare;
  auto with = [&](const QString& text, Compare::With what, bool there) {
    auto* action = compare_menu->addAction(text);
    action->setCheckable(true);
    action->setChecked(compare.with() == what);
    action->setEnabled(there);
    connect(action, &QAction::triggered, this, [this, what] {
      session_.compare.set_with(what);
      seam_button->setChecked(true);
    });
  };
  const int pinned = session_.document.is_open() ? compare.pinned() : -1;
  with(tr("With the frame as shot"), Compare::With::as_shot, true);
  with(pinned < 0 ? tr("With a pinned frame") : tr("With frame %1, pinned").arg(pinned + 1),
       Compare::With::pinned, pinned >= 0);
  with(tr("With the kept version"), Compare::With::version, compare.has_version());
  with(tr("With its flicker"), Compare::With::flicker,
       session_.document.is_open() && session_.document.decisions().deflicker.on);
  compare_menu->addSeparator();
  connect(compare_menu->addAction(tr("Pin this frame")), &QAction::triggered, &session_.compare,
          &Compare::pin);
  connect(compare_menu->addAction(tr("Keep this version of the look")), &QAction::triggered,
          &session_.compare, &Compare::keep_version);
}

void Transport::show_place() {
  const bool open = session_.document.is_open();
  setEnabled(open);
  if (!open) return place_->setText("");
  const auto& s = session_.document.shoot();
  show_words();
  const auto [in, out] = film_range(s);
  range_->setText(in > 0 || out < s.frame_count() - 1 ? tr("film %1–%2").arg(in + 1).arg(out + 1)
                                                      : QString());
  const int i = fps_->findData(s.decisions.fps);
  if (i >= 0)
    fps_->setCurrentIndex(i);
  else
    fps_->setCurrentIndex(
        (fps_->addItem(tr("%1 fps").arg(s.decisions.fps), s.decisions.fps), fps_->count() - 1));
}

void Transport::show_playing() {
  const bool on = playing();
  play_->setChecked(on);
  play_->setText(on ? tr("Stop") : tr("Play"));
  play_->setIcon(family_icon(on ? "stop" : "play"));
  const QString rounds[] = {tr("Loop"), tr("To and fro"), tr("Once")};
  round_->setText(rounds[static_cast<int>(player_.round())]);
  show_words();
}

// Where we are always has room; what is in the menu too stands back for it.
void Transport::resizeEvent(QResizeEvent*) {
  const int wanted = fontMetrics().horizontalAdvance(tr("frame %1 of %2").arg(8888).arg(8888));
  QWidget* const also_in_menu[] = {neighbours_button, sheet_button, seam_button, zoom_};
  for (QWidget* w : also_in_menu) w->show();
  for (QWidget* w : also_in_menu)
    if (layout()->minimumSize().width() + wanted > width()) w->hide();
}

// What there is room for: first the first of them goes, then the last.
QStringList Transport::fitting(QStringList words) const {
  words.removeAll(QString());
  const auto fits = [&] {
    return place_->fontMetrics().horizontalAdvance(words.join(kBetween)) <= place_->width();
  };
  if (!fits() && words.size() > 1) words.removeFirst();
  if (!fits() && words.size() > 1) words.removeLast();
  return words;
}

// Where we are, and how fast we get on.
QString Transport::place_words() const {
  const auto& s = session_.document.shoot();
  const int frame = session_.playhead.frame();
  const auto keys = session_.keys.frames();
  const auto key = std::ranges::find(keys, frame);
  const double reached = player_.measured_fps(), wanted = s.decisions.fps;
  const bool slow = reached < wanted * 0.93;
  QString last;
  if (playing() && reached > 0)
    last = slow ? tr("%1 of %2 fps").arg(reached, 0, 'f', 1).arg(wanted) : tr("%1 fps").arg(wanted);
  else if (key != keys.end())
    last = tr("key %1").arg(key - keys.begin() + 1);
  const QString clock =
      QString::fromStdString(format_clock(s.sequence.frames[static_cast<std::size_t>(frame)].time));
  // Where the two differ, the number in the film is said too.
  const FilmFrames& film = session_.document.courses().film;
  const Moment now = session_.playhead.moment();
  QString in_film;
  if (film.count() != s.frame_count()) {
    const int number = now.film >= 0 ? now.film : static_cast<int>(std::lround(film.time(frame)));
    if (number >= 0 && number < film.count())
      in_film = tr("film %1 of %2").arg(number + 1).arg(film.count());
  }
  QStringList words =
      fitting({clock, tr("frame %1 of %2").arg(frame + 1).arg(s.frame_count()), in_film, last});
  if (playing() && slow && words.last() == last)
    words.last() = QString("<span style='color:%1'>%2</span>").arg(colour::coral.name(), last);
  return words.join(kBetween);
}

// Display values below the pointer, and what the sensor saw there.
QString Transport::pointed_words(const Pointed& pointed) const {
  auto value = [&](int v) {
    return per_cent_ ? QString::number(std::lround(100 * v / 255.0)) : QString::number(v);
  };
  const QColor& c = pointed.shown;
  QStringList words{
      tr("frame %1").arg(session_.playhead.frame() + 1),
      QString("%1 %2 %3%4")
          .arg(value(c.red()), value(c.green()), value(c.blue()), per_cent_ ? " %" : "")};
  if (pointed.sensor) {
    QStringList stops;
    for (double s : *pointed.sensor) stops << number_text(s, 1, false);
    words << tr("%1 stops").arg(stops.join(" "));
  }
  return fitting(words).join(kBetween);
}

void Transport::show_words() {
  if (!session_.document.is_open()) return;
  const auto pointed = playing() ? std::nullopt : picture_.pointed();
  place_->setText(pointed ? pointed_words(*pointed) : place_words());
  place_->setToolTip(
      pointed ? tr("Below the pointer: red, green, blue as shown (a click here: 0 to 255 or per "
                   "cent), and what the sensor saw, in stops below its end")
              : QString());
}

bool Transport::eventFilter(QObject* of, QEvent* e) {
  if (of == place_ && e->type() == QEvent::Resize) show_words();
  if (of == place_ && e->type() == QEvent::MouseButtonPress) {
    per_cent_ = !per_cent_;
    show_words();
    return true;
  }
  return QWidget::eventFilter(of, e);
}

void Transport::show_zoom() { zoom_->setCurrentIndex(zoom_->findData(picture_.zoom())); }

void Transport::toggle_full() {
  picture_.set_zoom(picture_.zoom() == Zoom::kFit ? 1.0 : Zoom::kFit);
}

void Transport::set_in() {
  if (!session_.document.is_open()) return;
  session_.document.edit(tr("Set in"), [&](Shoot& s) {
    const int here = session_.playhead.frame(), out = film_range(s).second;
    set_film_range(s, here, out < here ? s.frame_count() - 1 : out);
  });
}

void Transport::set_out() {
  if (!session_.document.is_open()) return;
  session_.document.edit(tr("Set out"), [&](Shoot& s) {
    const int here = session_.playhead.frame(), in = film_range(s).first;
    set_film_range(s, in > here ? 0 : in, here);
  });
}

}  // namespace tsukimi::app
