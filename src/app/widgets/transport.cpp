#include "app/widgets/transport.h"

#include <QHBoxLayout>
#include <cmath>

#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

Transport::Transport(Session& session, Preview& preview, PictureView& picture, QWidget* parent)
    : QWidget(parent), session_(session), preview_(preview) {
  setObjectName("transport");
  setFixedHeight(32);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(10, 0, 10, 0);
  row->setSpacing(8);
  auto button = [&](const QString& text, const QString& name, const QString& tip, bool checkable) {
    auto* b = new QToolButton(this);
    b->setText(text);
    b->setObjectName(name);
    b->setToolTip(tip);
    b->setCheckable(checkable);
    b->setFocusPolicy(Qt::TabFocus);
    row->addWidget(b);
    return b;
  };
  play_ = button("Play", "play", "Play or stop (Space)", true);
  play_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  play_->setIcon(family_icon("play"));
  play_->setMinimumWidth(76);
  place_ = new QLabel(this);
  place_->setObjectName("place");
  row->addWidget(place_);
  rate_ = new QLabel(this);
  rate_->setObjectName("quiet");
  row->addWidget(rate_);
  row->addStretch(1);
  range_ = new QLabel(this);
  range_->setObjectName("quiet");
  row->addWidget(range_);
  connect(button("In", "in", "The film begins at this frame (I)", false), &QToolButton::clicked,
          this, &Transport::set_in);
  connect(button("Out", "out", "The film ends at this frame (O)", false), &QToolButton::clicked,
          this, &Transport::set_out);
  fps_ = new QComboBox(this);
  fps_->setObjectName("fps");
  fps_->setToolTip("Frame rate of the film and of playing");
  for (const char* r : {"15", "23.976", "24", "25", "29.97", "30", "60"})
    fps_->addItem(QString(r) + " fps", QString(r).toDouble());
  row->addWidget(fps_);
  sheet_button =
      button("Sheet", "sheet", "Contact sheet of all frames beside the picture (T)", true);
  neighbours_button =
      button("Neighbours", "neighbours", "This frame between those before and after it (N)", true);
  connect(neighbours_button, &QToolButton::toggled, &picture, &PictureView::set_neighbours);
  seam_button = button("Seam", "seam", "As shot left of a seam that can be dragged (S)", true);
  full_button = button("100 %", "full", "Every pixel, developed at full quality (Z)", true);
  connect(seam_button, &QToolButton::toggled, &picture, &PictureView::set_seam);
  connect(full_button, &QToolButton::toggled, &picture, &PictureView::set_full);
  connect(play_, &QToolButton::clicked, this, &Transport::toggle_play);
  connect(fps_, &QComboBox::activated, this, [this](int i) {
    session_.document.edit("Set frame rate",
                           [&](Shoot& s) { s.decisions.fps = fps_->itemData(i).toDouble(); });
  });
  timer_.setTimerType(Qt::PreciseTimer);
  connect(&timer_, &QTimer::timeout, this, &Transport::tick);
  session_.on_change(this, [this] { show_place(); });
  connect(&session_.document, &Document::opened, this, [this] {
    if (playing()) toggle_play();
  });
  show_place();
}

void Transport::show_place() {
  const bool open = session_.document.is_open();
  setEnabled(open);
  if (!open) return place_->setText("");
  const auto& s = session_.document.shoot();
  const auto& f = s.sequence.frames[session_.playhead.frame()];
  const auto keys = key_places(s);
  const auto key = std::ranges::find(keys, session_.playhead.frame());
  place_->setText(QString("%1 · frame %2 of %3%4")
                      .arg(QString::fromStdString(format_clock(f.time)))
                      .arg(session_.playhead.frame() + 1)
                      .arg(s.frame_count())
                      .arg(key != keys.end()
                               ? QString(" · key frame %1").arg(key - keys.begin() + 1)
                               : QString()));
  const auto [in, out] = film_range(s);
  range_->setText(in > 0 || out < s.frame_count() - 1
                      ? QString("film %1–%2").arg(in + 1).arg(out + 1)
                      : QString());
  const int i = fps_->findData(s.decisions.fps);
  if (i >= 0)
    fps_->setCurrentIndex(i);
  else
    fps_->setCurrentIndex((fps_->addItem(QString("%1 fps").arg(s.decisions.fps), s.decisions.fps),
                           fps_->count() - 1));
}

void Transport::set_in() {
  if (!session_.document.is_open()) return;
  session_.document.edit("Set in", [&](Shoot& s) {
    s.decisions.in = session_.playhead.frame();
    if (s.decisions.out >= 0 && s.decisions.out < s.decisions.in) s.decisions.out = -1;
  });
}

void Transport::set_out() {
  if (!session_.document.is_open()) return;
  session_.document.edit("Set out", [&](Shoot& s) {
    s.decisions.out =
        session_.playhead.frame() == s.frame_count() - 1 ? -1 : session_.playhead.frame();
    if (s.decisions.out >= 0 && s.decisions.in > s.decisions.out) s.decisions.in = 0;
  });
}

std::vector<int> Transport::next_frames(int count) const {
  auto film = film_frames(session_.document.shoot());
  const auto& frames = session_.document.shoot().sequence.frames;
  std::erase_if(film, [&](const FilmFrame& f) {  // what cannot be shown is passed over
    return !f.made() && !frames[f.frame].usable();
  });
  if (film.empty()) return {};
  const auto it = std::upper_bound(film.begin(), film.end(), session_.playhead.frame(),
                                   [](int f, const FilmFrame& other) { return f < other.frame; });
  const auto at = static_cast<std::size_t>(it - film.begin());
  std::vector<int> out;
  for (int k = 0; k < count; ++k)
    out.push_back(film[(at + static_cast<std::size_t>(k)) % film.size()].frame);
  return out;
}

void Transport::toggle_play() {
  if (!session_.document.is_open()) return;
  if (playing()) {
    timer_.stop();
    rate_->clear();
  } else {
    due_ = 0;
    shown_ = 0;
    clock_.start();
    window_.start();
    timer_.start(4);
  }
  session_.playhead.set_playing(playing());
  play_->setChecked(playing());
  play_->setText(playing() ? "Stop" : "Play");
  play_->setIcon(family_icon(playing() ? "stop" : "play"));
}

void Transport::tick() {
  const double pace = 1000.0 / session_.document.decisions().fps;
  if (ahead_.empty() || ahead_from_ != session_.playhead.frame() ||
      ahead_version_ != session_.version()) {
    ahead_ = next_frames(10);
    ahead_from_ = session_.playhead.frame();
    ahead_version_ = session_.version();
    preview_.prefetch(ahead_);
  }
  if (ahead_.empty() || clock_.elapsed() < due_) return;
  const int next = ahead_.front();
  if (preview_.get(next, Rendering::live, false).isNull())
    return;  // shown when it is there, never a wrong one
  due_ = std::max(due_ + pace, clock_.elapsed() - pace);
  ++shown_;
  session_.playhead.set_frame(next);
  if (window_.elapsed() > 1000) {
    measured_ = 1000.0 * shown_ / static_cast<double>(window_.restart());
    shown_ = 0;
    const bool slow = measured_ < session_.document.decisions().fps * 0.93;
    rate_->setText(slow ? QString("<span style='color:#e8836b'>playing at %1 fps</span>")
                              .arg(measured_, 0, 'f', 1)
                        : QString("playing at %1 fps").arg(session_.document.decisions().fps));
  }
}

}  // namespace tsukimi::app
