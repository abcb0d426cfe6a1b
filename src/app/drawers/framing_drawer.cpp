// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/framing_drawer.h"

#include <QMenu>
#include <QSignalBlocker>
#include <cmath>

#include "app/convert/value_text.h"
#include "app/drawers/sky_words.h"
#include "app/widgets/tabs.h"
#include "document/framing/output_size.h"
#include "document/pace/film_frames.h"
#include "document/values.h"
#include "film/motion.h"

namespace tsukimi::app {
namespace {

// What the crop is called; in the order of the list.
const std::pair<const char*, const char*> kShapes[] = {
    {QT_TRANSLATE_NOOP("Framing", "As the frame"), "frame"},
    {"16:9", "16:9"},
    {"3:2", "3:2"},
    {"4:3", "4:3"},
    {"1:1", "1:1"},
    {"9:16", "9:16"},
    {"2.39:1", "2.39:1"},
    {QT_TRANSLATE_NOOP("Framing", "Free"), ""}};

}  // namespace

FramingDrawer::FramingDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Framing"), session, parent) {
  auto* tabs = line();
  tabs->setSpacing(4);
  pages_ = new QStackedWidget;
  column_->addWidget(pages_);
  add_crop_page();
  add_glide_page();
  add_steady_page();
  for (QToolButton* tab : tabs_) tabs->addWidget(tab);
  cost_ = words("attention");
  column_->addStretch(1);
  connect(&framing(), &FramingWork::changed, this, [this] {
    if (isVisible()) refresh();
  });
  open_page(0);
}

QVBoxLayout* FramingDrawer::add_page(const QString& name, const QString& shown) {
  const int index = static_cast<int>(tabs_.size());
  QVBoxLayout* page = app::add_page(pages_, tabs_, "framing_" + name, shown);
  page->setSpacing(column_->spacing());
  connect(tabs_.back(), &QToolButton::clicked, this, [this, index] { open_page(index); });
  return page;
}

void FramingDrawer::open_page(int page) {
  show_page(pages_, tabs_, page);
  if (isVisible() && session_.document.is_open()) {
    session_.keys.set_target({kGlide});
    refresh();
  }
  framing().set_drawing(FramingWork::Drawing::none);
}

void FramingDrawer::showEvent(QShowEvent* e) {
  session_.framing.set_working(true);
  Drawer::showEvent(e);
}

void FramingDrawer::add_crop_page() {
  QVBoxLayout* page = add_page("crop", tr("Crop"));
  QVBoxLayout* const outer = std::exchange(column_, page);
  heading(tr("Shape"));
  aspect_ = field<QComboBox>("aspect", tr("Shape of the crop"));
  for (const auto& [shown, aspect] : kShapes)
    aspect_->addItem(QCoreApplication::translate("Framing", shown), aspect);
  column_->addWidget(aspect_);
  connect(aspect_, &QComboBox::activated, this,
          [this](int i) { framing().set_shape(aspect_->itemData(i).toString()); });
  const QString names[4] = {tr("Left"), tr("Top"), tr("Width"), tr("Height")};
  const char* const ids[4] = {"crop_left", "crop_top", "crop_width", "crop_height"};
  for (int row = 0; row < 2; ++row) {
    QHBoxLayout* fields = line();
    for (int k = 2 * row; k < 2 * row + 2; ++k) {
      auto* label = new QLabel(names[k]);
      numbers_[k] = field<QSpinBox>(ids[k], names[k], tr("In pixels of the frame"));
      numbers_[k]->setRange(0, 100000);
      fields->addWidget(label);
      fields->addWidget(numbers_[k], 1);
      connect(numbers_[k], &QSpinBox::valueChanged, this, &FramingDrawer::set_number);
    }
  }
  left_ = words("body");
  warning_ = words("attention");
  heading(tr("Straighten"));
  straighten_ = new Ruler({"straighten", tr("Leaning"), "°",
                           tr("How far the horizon, or what else should be level, leans clockwise: "
                              "it is turned back by that."),
                           -45, 45, 0, 0.05, 2});
  column_->addWidget(straighten_);
  connect(straighten_, &Ruler::edited, this,
          [this](double v, int drag) { framing().straighten(v, tr("straighten %1").arg(drag)); });
  line_ = button(tr("Draw a line"), "level_line",
                 tr("Draw along the horizon, or along a mast: it becomes level, or upright"));
  line_->setCheckable(true);
  column_->addWidget(line_);
  connect(line_, &QPushButton::clicked, this, [this](bool on) {
    framing().set_drawing(on ? FramingWork::Drawing::level : FramingWork::Drawing::none);
  });
  heading(tr("Guides"));
  guides_ = field<QComboBox>("guides", tr("Guides in the crop"));
  guides_->addItems({tr("Thirds"), tr("Diagonals"), tr("Centre"), tr("Safe areas"), tr("None")});
  column_->addWidget(guides_);
  connect(guides_, &QComboBox::activated, this, [this](int i) { framing().set_guides(Guides(i)); });
  column_ = outer;
}

void FramingDrawer::add_glide_page() {
  QVBoxLayout* page = add_page("glide", tr("Glide"));
  QVBoxLayout* const outer = std::exchange(column_, page);
  propose_ = button(tr("Propose a glide"), "propose_glide",
                    tr("A slow move over the whole film, as plain values that you can change"));
  auto* menu = new QMenu(propose_);
  const std::pair<GlideKind, QString> kinds[] = {{GlideKind::push_in, tr("Push in")},
                                                 {GlideKind::pull_out, tr("Pull out")},
                                                 {GlideKind::pan_left, tr("Pan to the left")},
                                                 {GlideKind::pan_right, tr("Pan to the right")}};
  for (const auto& [kind, name] : kinds)
    connect(menu->addAction(name), &QAction::triggered, this,
            [this, kind = kind] { framing().propose(kind); });
  propose_->setMenu(menu);
  column_->addWidget(propose_);
  glide_fields_ = new QWidget;
  column_->addWidget(glide_fields_);
  auto* fields = new QVBoxLayout(glide_fields_);
  fields->setContentsMargins(0, 0, 0, 0);
  fields->setSpacing(8);
  column_ = fields;
  keys_ = new KeyRow(session_, "glide_key", tr("Make or remove a key frame of the glide here (K)"));
  column_->addWidget(keys_);
  for (const auto& row : kGlide.rows()) {
    auto* ruler = rulers_.emplace_back(
        new KeyedRuler(session_, row.id, [id = row.id] { return Setting(id); }));
    column_->addWidget(ruler);
  }
  speed_ = new SpeedView;
  column_->addWidget(speed_);
  rest_ = check(tr("Begin and end at rest"), "glide_rests",
                tr("Else it moves evenly from its first key frame to its last"));
  connect(rest_, &QCheckBox::clicked, this, [this](bool on) { framing().set_rest(on); });
  end_ = button(tr("No glide"), "end_glide", tr("The crop stays where it is at this frame"));
  column_->addWidget(end_);
  connect(end_, &QPushButton::clicked, this, [this] { framing().end_glide(); });
  column_ = outer;
}

void FramingDrawer::add_steady_page() {
  QVBoxLayout* page = add_page("steady", tr("Steady"));
  QVBoxLayout* const outer = std::exchange(column_, page);
  auto* what = words();
  what->setText(tr("Takes out what wind and knocks did to the tripod."));
  steadying_ = new QButtonGroup(this);
  const std::pair<const char*, QString> ways[] = {
      {"steady_off", tr("As it was shot")},
      {"steady_hold", tr("Hold still, as if on rock")},
      {"steady_drift", tr("Keep the drift, without shaking")},
      {"steady_stars", tr("Hold the stars: the land turns")}};
  for (int i = 0; i < 4; ++i) {
    auto* choice = new QRadioButton(ways[i].second);
    choice->setObjectName(ways[i].first);
    steadying_->addButton(choice, i);
    column_->addWidget(choice);
  }
  connect(steadying_, &QButtonGroup::idClicked, this,
          [this](int id) { framing().set_steadying(Steadying(id)); });
  period_ = new Ruler({"shortest_movement", tr("Keep slower than"), "frames",
                       tr("What moves faster than this is shaking. A knock goes wholly."),
                       kLeastPeriod, 400, 60, 1, 0});
  column_->addWidget(period_);
  connect(period_, &Ruler::edited, this, [this](double v, int drag) {
    framing().set_period(v, tr("shortest movement %1").arg(drag));
  });
  hold_ = new KeyedRuler(session_, Param::star_hold, [] { return Setting(Param::star_hold); });
  column_->addWidget(hold_);
  heading(tr("Measured"));
  measured_ = words("body");
  misfit_ = words("attention");
  rock_ = new QWidget;
  column_->addWidget(rock_);
  auto* rock = new QVBoxLayout(rock_);
  rock->setContentsMargins(0, 0, 0, 0);
  rock->setSpacing(6);
  column_ = rock;
  heading(tr("What stands still"));
  auto* found = words();
  found->setText(
      tr("It is found by itself. Where that goes wrong, draw areas that stand still: "
         "rock, houses."));
  QHBoxLayout* areas = line();
  area_ =
      button(tr("Draw an area"), "follow_area", tr("On the picture; more than one if you like"));
  area_->setCheckable(true);
  no_areas_ = button(tr("Forget areas"), "forget_areas", tr("What stands still is found again"));
  areas->addWidget(area_, 1);
  areas->addWidget(no_areas_, 1);
  connect(area_, &QPushButton::clicked, this, [this](bool on) {
    framing().set_drawing(on ? FramingWork::Drawing::area : FramingWork::Drawing::none);
  });
  connect(no_areas_, &QPushButton::clicked, this, [this] { framing().clear_areas(); });
  column_ = outer;
}

// The one that was typed; the others are shown in whole pixels, and stay what they are.
void FramingDrawer::set_number() {
  const Size frame = session_.document.shoot().sequence.size;
  CropAt crop = framing().crop();
  const double shape = shape_of_crop(session_.document.shoot());
  double height = framing().height();
  const bool free = framing().is_free();
  for (int k = 0; k < 4; ++k) {
    if (sender() != numbers_[k]) continue;
    const double value = static_cast<double>(numbers_[k]->value());
    if (k == 0) crop.x = value / frame.width;
    if (k == 1) crop.y = value / frame.height;
    if (k == 2) crop.w = value / frame.width;
    if (k == 3) height = value / frame.height;
    if (k == 3 && !free) crop.w = value * shape / frame.width;
  }
  framing().set_crop(crop, free ? std::optional(height) : std::nullopt, {});
}

void FramingDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const Framing& f = session_.document.decisions().framing;
  mark_tab(tabs_[0], f.crop != Rect{} || f.straighten != 0);
  mark_tab(tabs_[1], framing().has_glide());
  mark_tab(tabs_[2], f.steady.how != Steadying::off);
  const std::string cost = fit_note(session_.document.courses().framing);
  cost_->setVisible(!cost.empty());
  cost_->setText(QString::fromStdString(cost));
  show_crop();
  show_glide();
  show_steady();
}

void FramingDrawer::show_crop() {
  const Shoot& shoot = session_.document.shoot();
  const Framing& f = shoot.decisions.framing;
  const FramingCourse& course = session_.document.courses().framing;
  const bool whole = f.aspect.empty() && f.crop == Rect{};
  const QString aspect = whole ? "frame" : QString::fromStdString(f.aspect);
  int i = aspect_->findData(aspect);
  if (i < 0) aspect_->addItem(aspect, aspect), i = aspect_->count() - 1;
  aspect_->setCurrentIndex(i);
  const Size frame = shoot.sequence.size;
  const CropAt c = framing().crop();
  const double values[4] = {c.x * frame.width, c.y * frame.height, c.w * frame.width,
                            framing().height() * frame.height};
  for (int k = 0; k < 4; ++k) {
    numbers_[k]->setMaximum(k % 2 ? frame.height : frame.width);
    set_quietly(numbers_[k], static_cast<int>(std::lround(values[k])));
  }
  const Size left = course.smallest(), out = output_size(shoot, course);
  left_->setText((framing().has_glide() ? tr("%1×%2 of %3×%4 pixels where it is smallest")
                                        : tr("%1×%2 of %3×%4 pixels"))
                     .arg(left.width)
                     .arg(left.height)
                     .arg(frame.width)
                     .arg(frame.height));
  const std::string enlarged = enlarged_note(shoot, out);
  warning_->setVisible(!enlarged.empty());
  warning_->setText(QString::fromStdString(enlarged));
  straighten_->set_value(f.straighten);
  line_->setChecked(framing().drawing() == FramingWork::Drawing::level);
  guides_->setCurrentIndex(static_cast<int>(framing().guides()));
}

void FramingDrawer::show_glide() {
  const Shoot& shoot = session_.document.shoot();
  const FramingCourse& course = session_.document.courses().framing;
  const int frame = session_.playhead.frame();
  const bool glides = framing().has_glide();
  keys_->refresh();
  for (QWidget* w : std::initializer_list<QWidget*>{speed_, rest_, end_}) w->setVisible(glides);
  rest_->setChecked(framing().rests());
  const bool stale =
      std::exchange(shown_runs_, session_.document.version()) != session_.document.version();
  std::vector<std::pair<int, Easing>> keys;
  for (int k : key_places(shoot, {kGlide})) keys.emplace_back(k, easing_at(shoot, k, {kGlide}));
  for (KeyedRuler* ruler : rulers_)
    ruler->show([&](int k) { return course.values(k)[ruler->param()]; }, keys, stale);
  speed_->set_playhead(frame);
  if (!stale) return;
  std::vector<double> speeds;
  for (int k = 0; k < shoot.frame_count(); ++k)
    speeds.push_back(100 * course.speed(course.time(k)) * shoot.decisions.fps);
  speed_->set_speeds(std::move(speeds));
}

QString FramingDrawer::measured_words() const {
  const Shoot& shoot = session_.document.shoot();
  const auto& steady = shoot.decisions.framing.steady;
  if (!shoot.motion)
    return steady.how == Steadying::off
               ? tr("Not measured yet: choosing one of the two measures it.")
               : tr("How the camera moved is being measured.");
  const auto moves = moves_of(shoot);
  const auto counts = kept_counts(shoot);
  const auto path = steady_path(moves, counts, Steadying::drift, steady.period);
  const double width = shoot.sequence.size.width;
  double squares = 0, most = 0, kept = 0;
  int at = 0, before = -1;
  // From frame to frame, less what goes on: shaking.
  for (int i = 0; i < static_cast<int>(moves.size()); ++i) {
    if (counts[static_cast<std::size_t>(i)] == 0) continue;
    if (before >= 0) {
      const auto a = static_cast<std::size_t>(before), b = static_cast<std::size_t>(i);
      const double step = width * std::hypot(moves[b].dx - moves[a].dx - path[b].dx + path[a].dx,
                                             moves[b].dy - moves[a].dy - path[b].dy + path[a].dy);
      squares += step * step, ++kept;
      if (step > most) most = step, at = i;
    }
    before = i;
  }
  const auto bumps = find_bumps(moves, counts);
  QString out = "<table width='100%'>";
  auto row = [&](const QString& name, const QString& value) {
    out += QString("<tr><td>%1</td><td align='right'><b>%2</b></td></tr>").arg(name, value);
  };
  row(tr("From frame to frame"),
      tr("%1 px").arg(kept > 0 ? std::sqrt(squares / kept) : 0, 0, 'f', 2));
  row(tr("The most, at frame %1").arg(at + 1), tr("%1 px").arg(most, 0, 'f', 1));
  if (!bumps.empty()) {
    QStringList frames;
    for (int b : bumps) frames << QString::number(b + 1);
    row(tr("Knocked at frame"), frames.mid(0, 6).join(", ") + (frames.size() > 6 ? " …" : ""));
  }
  return out + "</table>";
}

// The rulers of a page whose key frames are others than the glide's.
void FramingDrawer::show_hold() {
  const Shoot& shoot = session_.document.shoot();
  const bool stale =
      std::exchange(shown_hold_, session_.document.version()) != session_.document.version();
  std::vector<std::pair<int, Easing>> keys;
  for (int k : key_places(shoot, {kStarHold}))
    keys.emplace_back(k, easing_at(shoot, k, {kStarHold}));
  hold_->show(course_of(shoot, {kStarHold}), keys, stale);
}

QString FramingDrawer::stars_words() const {
  const Shoot& shoot = session_.document.shoot();
  if (session_.trails.looking() || !shoot.sky) return tr("Stars are being looked for.");
  QStringList out = sky_words(shoot);
  const FramingCourse& course = session_.document.courses().framing;
  if (course.holds_stars())
    out << tr("The land turns by %1° each way.").arg(course.held_turn(), 0, 'f', 1);
  return out.join("<br>");
}

void FramingDrawer::show_steady() {
  const Shoot& shoot = session_.document.shoot();
  const SteadySettings& s = shoot.decisions.framing.steady;
  const bool stars = s.how == Steadying::stars;
  hold_->setVisible(stars);
  rock_->setVisible(!stars);
  period_->setVisible(!stars);
  if (stars) show_hold();
  if (isVisible() && pages_->currentIndex() == 2)
    session_.keys.set_target(stars ? KeyTarget{kStarHold} : KeyTarget{kGlide});
  steadying_->button(static_cast<int>(s.how))->setChecked(true);
  period_->setEnabled(s.how == Steadying::drift);
  period_->set_value(s.period);
  area_->setChecked(framing().drawing() == FramingWork::Drawing::area);
  no_areas_->setEnabled(!s.areas.empty());
  measured_->setText(stars ? stars_words() : measured_words());
  const std::string misfit = misfit_note(shoot);
  misfit_->setVisible(!misfit.empty());
  misfit_->setText(words_of(misfit.c_str()));
}

}  // namespace tsukimi::app
