// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/trails_page.h"

#include "app/drawers/sky_words.h"
#include "document/values.h"

namespace tsukimi::app {

TrailsPage::TrailsPage(Session& session) : session_(session) {
  column_ = new QVBoxLayout(this);
  column_->setContentsMargins(0, 0, 0, 0);
  column_->setSpacing(6);
  kind_ = add_choice(
      "trails", tr("Star trails"),
      {tr("none: stars are points"), tr("grow from the first frame on"), tr("tails that fade")},
      tr("Frames of the film keep the light of those before them, where it is "
         "brighter"));
  connect(kind_, &QComboBox::activated, this, [this](int i) {
    session_.trails.edit(tr("Star trails"), [&](Trails& t) { t.kind = TrailKind(i); });
  });
  fields_ = new QWidget;
  column_->addWidget(fields_);
  auto* inner = new QVBoxLayout(fields_);
  inner->setContentsMargins(0, 0, 0, 0);
  inner->setSpacing(6);
  QVBoxLayout* const outer = std::exchange(column_, inner);
  add_tails();
  add_sky();
  add_ground();
  write_ = button(tr("Write the last frame"), "write_last",
                  tr("The film's last frame as a picture, in the format of exported frames, into "
                     "a folder beside this one"));
  column_->addWidget(write_);
  connect(write_, &QPushButton::clicked, this, [this] { session_.exports.start_last_frame(); });
  written_ = words("body");
  column_ = outer;
  column_->addStretch(1);
  connect(&session_.trails, &TrailWork::changed, this, [this] {
    if (isVisible()) refresh();
  });
  connect(&session_.tasks, &TaskList::changed, this, [this] {
    if (isVisible()) show_notes();
  });
}

QComboBox* TrailsPage::add_choice(const char* name, const QString& title,
                                  const QStringList& choices, const QString& tip) {
  auto* box = field<QComboBox>(name, title, tip);
  box->addItems(choices);
  column_->addWidget(box);
  return box;
}

void TrailsPage::add_tails() {
  way_ = add_choice("trail_way", tr("Which way trails run"),
                    {tr("from points to trails"), tr("from trails back to points")},
                    tr("Whether the film begins with points, or with all of the trails"));
  connect(way_, &QComboBox::activated, this, [this](int i) {
    session_.trails.edit(tr("Way of star trails"), [&](Trails& t) { t.falls_back = i == 1; });
  });
  tails_ = new QWidget;
  column_->addWidget(tails_);
  auto* inner = new QVBoxLayout(tails_);
  inner->setContentsMargins(0, 0, 0, 0);
  inner->setSpacing(6);
  QVBoxLayout* const outer = std::exchange(column_, inner);
  keys_ = new KeyRow(session_, "trail_key", tr("Make or remove a key frame of the tails here (K)"));
  column_->addWidget(keys_);
  length_ =
      new KeyedRuler(session_, Param::trail_length, [] { return Setting(Param::trail_length); });
  column_->addWidget(length_);
  unit_ = add_choice("trail_unit", tr("What the length counts"),
                     {tr("frames of the film"), tr("minutes of capture")}, {});
  connect(unit_, &QComboBox::activated, this, [this](int i) {
    session_.trails.edit(tr("Length of star trails"), [&](Trails& t) { t.unit = TrailUnit(i); });
  });
  fade_ = new KeyedRuler(session_, Param::trail_fade, [] { return Setting(Param::trail_fade); });
  column_->addWidget(fade_);
  column_ = outer;
  auto* row = line();
  row->addWidget(new QLabel(tr("Light stays of every")), 1);
  every_ = field<QSpinBox>("trail_every", tr("Frames from one that leaves light to the next"),
                           tr("1: of every frame; more leaves dots"));
  every_->setRange(1, kMostEvery);
  row->addWidget(every_);
  row->addWidget(new QLabel(tr("frames")));
  connect(every_, &QSpinBox::valueChanged, this, [this](int n) {
    session_.trails.edit(
        tr("Every so many frames"), [&](Trails& t) { t.every = n; }, "trail_every");
  });
}

void TrailsPage::add_sky() {
  heading(tr("Sky"));
  auto* row = line();
  sky_ = field<QComboBox>("trail_sky", tr("Where trails run"),
                          tr("The place that is the sky: outside of it there are no trails"));
  share_width(sky_);
  row->addWidget(sky_, 1);
  find_ = button(tr("Find the sky"), "find_sky",
                 tr("A new place above the skyline, found by the stars that turn in it"));
  row->addWidget(find_);
  connect(sky_, &QComboBox::activated, this, [this](int i) { session_.trails.set_sky(i - 1); });
  connect(find_, &QPushButton::clicked, this, [this] { session_.trails.propose_sky(); });
  gaps_ = check(tr("Close the gaps between exposures"), "close_gaps",
                tr("Each star is carried along its own way, as the sky turned while the camera "
                   "paused"));
  streaks_ = check(tr("Keep out what is in one frame only"), "keep_out",
                   tr("Planes, satellites, flashes and hot pixels leave no trail"));
  connect(gaps_, &QCheckBox::clicked, this, [this](bool on) {
    session_.trails.edit(tr("Close gaps"), [&](Trails& t) { t.close_gaps = on; });
  });
  connect(streaks_, &QCheckBox::clicked, this, [this](bool on) {
    session_.trails.edit(tr("Keep out streaks"), [&](Trails& t) { t.keep_out = on; });
  });
  notes_ = words("body");
}

void TrailsPage::add_ground() {
  heading(tr("Ground"));
  ground_ = add_choice("trail_ground", tr("What is seen outside of the sky"),
                       {tr("of each frame"), tr("of one frame"), tr("mean of several frames")}, {});
  connect(ground_, &QComboBox::activated, this, [this](int i) {
    session_.trails.edit(tr("Ground of star trails"), [&](Trails& t) {
      t.ground = TrailGround(i);
      if (t.ground == TrailGround::frame)
        t.ground_frame = session_.document.shoot().sequence.id_of(session_.playhead.frame());
    });
  });
  auto* row = line();
  ground_words_ = new QLabel;
  row->addWidget(ground_words_, 1);
  mean_ = field<QSpinBox>("ground_mean", tr("Frames of which the ground is the mean"));
  mean_->setRange(kFewestMean, kMostMean);
  row->addWidget(mean_);
  this_frame_ = button(tr("Take this frame"), "ground_frame",
                       tr("The ground of the frame at the playhead, in all frames"));
  row->addWidget(this_frame_);
  connect(mean_, &QSpinBox::valueChanged, this, [this](int n) {
    session_.trails.edit(
        tr("Ground of star trails"), [&](Trails& t) { t.ground_mean = n; }, "ground_mean");
  });
  connect(this_frame_, &QPushButton::clicked, this, [this] {
    session_.trails.edit(tr("Ground of star trails"), [&](Trails& t) {
      t.ground_frame = session_.document.shoot().sequence.id_of(session_.playhead.frame());
    });
  });
}

void TrailsPage::refresh() {
  const Trails& t = trails();
  const Shoot& shoot = session_.document.shoot();
  kind_->setCurrentIndex(static_cast<int>(t.kind));
  fields_->setVisible(t.kind != TrailKind::none);
  if (t.kind == TrailKind::none) return;
  way_->setCurrentIndex(t.falls_back);
  tails_->setVisible(t.kind == TrailKind::comet);
  unit_->setCurrentIndex(static_cast<int>(t.unit));
  set_quietly(every_, t.every);
  keys_->refresh();
  const bool stale =
      std::exchange(shown_runs_, session_.document.version()) != session_.document.version();
  std::vector<std::pair<int, Easing>> keys;
  for (int k : key_places(shoot, {kTrails})) keys.emplace_back(k, easing_at(shoot, k, {kTrails}));
  const tsukimi::Course course = course_of(shoot, {kTrails});
  for (KeyedRuler* ruler : {length_, fade_}) ruler->show(course, keys, stale);
  show_sky();
  show_ground();
  show_notes();
  show_written();
}

void TrailsPage::show_sky() {
  QStringList names{tr("everywhere")};
  for (const LocalPlace& p : session_.document.decisions().places)
    names << QString::fromStdString(p.name);
  // Only where it says something else: somebody may have it open.
  if (sky_->property("names").toStringList() != names) {
    sky_->setProperty("names", names);
    const QSignalBlocker quiet(sky_);
    sky_->clear();
    sky_->addItems(names);
  }
  sky_->setCurrentIndex(session_.trails.sky() + 1);
  const bool has_sky = session_.trails.sky() >= 0;
  gaps_->setEnabled(has_sky && trails().every == 1);
  streaks_->setEnabled(has_sky);
  gaps_->setChecked(trails().close_gaps);
  streaks_->setChecked(trails().keep_out);
}

void TrailsPage::show_ground() {
  const Trails& t = trails();
  const Shoot& shoot = session_.document.shoot();
  const bool has_sky = session_.trails.sky() >= 0;
  ground_->setEnabled(has_sky);
  ground_->setCurrentIndex(static_cast<int>(t.ground));
  const bool mean = t.ground == TrailGround::mean, one = t.ground == TrailGround::frame;
  mean_->setVisible(has_sky && mean);
  set_quietly(mean_, t.ground_mean);
  this_frame_->setVisible(has_sky && one);
  ground_words_->setVisible(has_sky && (mean || one));
  ground_words_->setText(one ? tr("frame %1").arg(shoot.sequence.place_of(t.ground_frame) + 1)
                             : tr("Frames"));
}

void TrailsPage::show_notes() {
  if (!session_.document.is_open()) return;
  const Shoot& shoot = session_.document.shoot();
  QStringList out = sky_words(shoot);
  if (session_.trails.looking()) out = QStringList(tr("Stars are being looked for."));
  if (session_.trails.sky() < 0)
    out << tr(
        "Trails run over the whole picture. With a sky the ground stays, gaps can be closed "
        "and streaks kept out.");
  if (session_.framing.has_glide())
    out << attention(tr("The crop glides: trails lie on the moving picture."));
  notes_->setText(out.join("<br>"));
}

void TrailsPage::show_written() {
  const auto& last = session_.exports.last();
  const bool exporting = session_.exports.running();
  write_->setEnabled(!exporting);
  const bool ours = last && !exporting && !last->job.frames.empty() &&
                    last->job.frames.front().pattern == kLastFramePattern;
  written_->setVisible(ours);
  if (!ours) return;
  written_->setText(
      last->state == JobState::done
          ? tr("The last frame is in %1.")
                .arg(QString::fromStdString(printable(last->job.frames.front().folder)))
      : last->problem.empty() ? tr("It was cancelled.")
                              : QString::fromStdString(last->problem));
}

}  // namespace tsukimi::app
