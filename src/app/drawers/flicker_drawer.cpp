// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/flicker_drawer.h"

#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "document/light_edit.h"

namespace tsukimi::app {
namespace {

QString link(const QString& to, const QString& text) {
  return QString("<a style='color:%1' href='%2'>%3</a>").arg(colour::moon.name(), to, text);
}
const QString kMapLink = "map";

// From frame to frame by so much that cells do not see the same thing any more, and nobody has
// asked for the film to be steadied yet.
bool shakes_unfollowed(const Measured& measured) {
  if (measured.in_place) return false;
  constexpr double kShakes = 0.001;  // of the width
  std::vector<double> by;
  for (const auto& signs : measured.signs)
    if (signs && signs->shift.known) by.push_back(std::hypot(signs->shift.dx, signs->shift.dy));
  return median(std::move(by)) > kShakes;
}
QString frame_link(int frame) { return link(QString::number(frame), QString::number(frame + 1)); }

}  // namespace

FlickerDrawer::FlickerDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Flicker"), session, parent) {
  statement_ = words("body");
  warning_ = words("attention");
  for (QLabel* words : {statement_, warning_}) {
    words->setTextInteractionFlags(Qt::TextBrowserInteraction);
    connect(words, &QLabel::linkActivated, this, &FlickerDrawer::go_to);
  }
  on_ = check(tr("Remove flicker"), "deflicker_on",
              tr("Brings every frame's brightness to a smooth goal, in linear light. The evening "
                 "still falls."));
  period_ = new Ruler({"period", tr("Keep changes slower than"), "frames",
                       tr("Changes of light that are faster than this count as flicker."), 3, 200,
                       24, 1, 0});
  limit_ = new Ruler({"limit", tr("Largest correction"), "stops",
                      tr("Where less than three quarters of the picture agree, no frame is changed "
                         "by more than this."),
                      0, 3, 0.7, 0.05, 2});
  column_->addWidget(period_);
  column_->addWidget(limit_);
  uneven_ =
      choice(tr("Bands and parts"), "uneven",
             tr("Lamps that draw bands, parts of the picture that flicker by themselves: taken "
                "out where they are found, also where they are faint, or not looked for"));
  colour_ = choice(tr("Colours"), "colour_flicker",
                   tr("Red, green and blue that flicker apart: taken out where they are found, "
                      "also where they are faint, or not looked for"));
  add_areas();
  add_judging();
  column_->addStretch(1);
  connect_settings();
  connect(&session_.playhead, &Playhead::frame_changed, this, [this] {
    if (isVisible()) refresh_event();
  });
  connect(&session_.judging, &Judging::changed, this, [this] {
    if (isVisible()) refresh();
  });
}

void FlickerDrawer::add_areas() {
  heading(tr("Where it is measured"));
  auto* row = line();
  shape_ =
      field<QComboBox>("area_shape", tr("Shape of an area"), tr("What is drawn on the picture"));
  // In the order of AreaShape.
  shape_->addItems({tr("rectangle"), tr("ellipse"), tr("freehand")});
  row->addWidget(shape_, 1);
  leave_out_ = new QCheckBox(tr("leave out"));
  leave_out_->setObjectName("leave_out");
  leave_out_->setToolTip(tr("What is drawn next takes no part: a road with headlights, a flag"));
  row->addWidget(leave_out_);
  areas_ = list("steady_areas", text_px(52));
  areas_->setAccessibleName(tr("Areas"));
  auto* buttons = line();
  remove_ = button(tr("Remove"), "remove_area", tr("Forget the chosen area"));
  whole_ = button(tr("Whole picture"), "whole_picture", tr("Forget all areas"));
  buttons->addWidget(remove_);
  buttons->addWidget(whole_);
  map_ = check(tr("Show how steady each part is"), "steady_map",
               tr("Clear: steady. Grey: changes by itself, and weighs little."));
}

void FlickerDrawer::add_judging() {
  heading(tr("Judge by eye"));
  auto* row = line();
  beside_ = button(tr("Side by side"), "beside",
                   tr("With its flicker and without, beside each other, also in motion (Shift+S)"));
  lens_ = button(tr("Changes ×8"), "light_lens",
                 tr("Every part of the picture departs from its smooth course eight times as far: "
                    "what flickers is seen at once (Shift+G)"));
  for (QPushButton* b : {beside_, lens_}) {
    b->setCheckable(true);
    row->addWidget(b);
  }
  event_ = words("body");
  soften_ = new Ruler({"soften", tr("Soften this event"), "%",
                       tr("Takes this much of it out where it shines. 0 keeps it as it is."), 0,
                       100, 0, 5, 0});
  column_->addWidget(soften_);
}

void FlickerDrawer::connect_settings() {
  connect(on_, &QCheckBox::clicked, this, [this](bool on) {
    session_.document.edit(on ? tr("Remove flicker") : tr("Keep flicker"),
                           [&](Shoot& s) { s.decisions.deflicker.on = on; });
  });
  connect(period_, &Ruler::edited, this, [this](double v, int drag) {
    session_.document.edit(
        tr("Set shortest change"), [&](Shoot& s) { s.decisions.deflicker.period = v; },
        tr("shortest change %1").arg(drag));
  });
  connect(limit_, &Ruler::edited, this, [this](double v, int drag) {
    session_.document.edit(
        tr("Set largest correction"), [&](Shoot& s) { s.decisions.deflicker.limit = v; },
        tr("largest correction %1").arg(drag));
  });
  connect(uneven_, &QComboBox::activated, this, [this](int i) {
    session_.document.edit(tr("Bands and parts"),
                           [&](Shoot& s) { s.decisions.deflicker.uneven = Uneven(i); });
  });
  connect(colour_, &QComboBox::activated, this, [this](int i) {
    session_.document.edit(tr("Colours that flicker"),
                           [&](Shoot& s) { s.decisions.deflicker.colour = Uneven(i); });
  });
  AreaWork& areas = session_.areas;
  connect(shape_, &QComboBox::activated, this, [&areas](int i) { areas.set_shape(AreaShape(i)); });
  connect(leave_out_, &QCheckBox::clicked, &areas, &AreaWork::set_leaves_out);
  connect(areas_, &QListWidget::currentRowChanged, &areas, &AreaWork::choose);
  connect(remove_, &QPushButton::clicked, &areas, &AreaWork::remove_chosen);
  connect(whole_, &QPushButton::clicked, &areas, &AreaWork::clear);
  connect(map_, &QCheckBox::clicked, &areas, &AreaWork::set_map);
  connect(&areas, &AreaWork::changed, this, [this] {
    if (isVisible()) refresh();
  });
  connect(beside_, &QPushButton::clicked, this, [this](bool on) {
    session_.judging.set_beside(on);
    if (on) session_.compare.set_with(Compare::With::flicker);
  });
  connect(lens_, &QPushButton::clicked, this, [this](bool on) { session_.judging.set_lens(on); });
  connect(soften_, &Ruler::edited, this, [this](double v, int drag) {
    if (const int frame = event_here(); frame >= 0)
      session_.document.edit(
          tr("Soften an event"), [&](Shoot& s) { soften(s, frame, v / 100); },
          tr("soften %1 %2").arg(frame).arg(drag));
  });
}

QComboBox* FlickerDrawer::choice(const QString& name, const char* object, const QString& tip) {
  auto* row = line();
  row->addWidget(new QLabel(name), 1);
  auto* box = field<QComboBox>(object, name, tip);
  // In the order of Uneven.
  box->addItems({tr("where found"), tr("also faint"), tr("leave")});
  row->addWidget(box);
  return box;
}

// What there is, what becomes of it, and what is found beside one factor a frame.
QString FlickerDrawer::statement() const {
  const LightPlan& plan = session_.light.plan();
  const FlickerLeft& left = plan.left;
  const bool on = session_.document.decisions().deflicker.on;
  QString text = tr("Flicker <b>%1 %</b>").arg(left.before_median, 0, 'f', 2);
  if (on) text += tr(", now <b>%1 %</b>").arg(left.left_median, 0, 'f', 2);
  if (plan.noise_percent > 0)
    text += tr("; the noise allows %1 %").arg(plan.noise_percent, 0, 'f', 2);
  text += ".";
  if (on && left.worse_share < 0.005) text += tr(" Nothing got worse.");
  for (const FlickerFound& one : plan.found) {
    const QString percent = QString::number(one.percent, 'f', 1);
    switch (one.kind) {
      case FlickerKind::bands:
        text += tr("<br>Bands: %1 of them over the %2, %3 %.")
                    .arg(one.wave.cycles, 0, 'f', 1)
                    .arg(one.wave.across ? tr("width") : tr("height"), percent);
        break;
      case FlickerKind::part:
        text += tr("<br>A part of the picture flickers by itself, %1 %.").arg(percent);
        break;
      case FlickerKind::colour:
        text += tr("<br>The colours flicker apart, %1 %.").arg(percent);
        break;
    }
  }
  const DeflickerResult& result = plan.deflicker;
  if (on && result.largest_at >= 0)
    text += tr("<br>Largest correction: %1 stops, at frame %2.")
                .arg(result.largest_correction, 0, 'f', 2)
                .arg(frame_link(result.largest_at));
  return text;
}

QString FlickerDrawer::in_the_way() const {
  const LightPlan& plan = session_.light.plan();
  if (!session_.document.decisions().deflicker.on) return {};
  if (plan.deflicker.held)
    return tr("Parts of the picture flicker apart: taking it out of one would put it into another. "
              "Only frames that stand out are corrected. Draw on the picture what matters most; "
              "%1.")
        .arg(link(kMapLink, tr("see how steady each part is")));
  QString text;
  if (plan.left.worse_share >= 0.005)
    text = tr("It got worse in %1 % of the picture; %2.")
               .arg(100 * plan.left.worse_share, 0, 'f', 0)
               .arg(link(kMapLink, tr("see how steady each part is")));
  constexpr double kMuch = 0.2;  // per cent
  if (text.isEmpty() && plan.left.left_median > kMuch && session_.light.measured() &&
      shakes_unfollowed(*session_.light.measured()))
    text =
        tr("The camera shook. Hold the film still (Framing): then each part is followed, and less "
           "is left.");
  const auto& limited = plan.deflicker.limited;
  if (limited.empty()) return text;
  constexpr std::size_t kNamed = 8;
  QStringList frames;
  for (std::size_t i = 0; i < std::min(limited.size(), kNamed); ++i)
    frames << frame_link(limited[i]);
  return text + (text.isEmpty() ? "" : "<br>") +
         tr("More than flicker: frame %1 would need more than the largest correction.")
             .arg(frames.join(", ") + (limited.size() > kNamed ? " …" : ""));
}

void FlickerDrawer::go_to(const QString& link) {
  if (link == kMapLink) return session_.areas.set_map(true);
  session_.playhead.set_frame(link.toInt());
}

void FlickerDrawer::refresh_areas() {
  const auto& areas = session_.document.decisions().deflicker.areas;
  QStringList names;
  for (const SteadyArea& area : areas)
    names << tr("%1, %2 × %3 %, %4")
                 .arg(shape_->itemText(static_cast<int>(area.shape)))
                 .arg(100 * area.box.w, 0, 'f', 0)
                 .arg(100 * area.box.h, 0, 'f', 0)
                 .arg(area.leave_out ? tr("left out") : tr("steady"));
  if (names.isEmpty()) names << tr("Everywhere. Draw on the picture.");
  if (areas_->property("names").toStringList() != names) {
    areas_->setProperty("names", names);
    areas_->clear();
    areas_->addItems(names);
    areas_->setCurrentRow(-1);
    session_.areas.choose(-1);
  }
  areas_->setEnabled(!areas.empty());
  remove_->setEnabled(!areas.empty() && session_.areas.chosen() >= 0);
  whole_->setEnabled(!areas.empty());
}

int FlickerDrawer::event_here() const {
  const int frame = session_.playhead.frame();
  const Suspect* suspect = session_.light.suspect_at(frame);
  return suspect && is_event(suspect->kind) ? frame : -1;
}

void FlickerDrawer::refresh_event() {
  const int frame = session_.document.is_open() ? event_here() : -1;
  event_->setVisible(frame >= 0);
  soften_->setVisible(frame >= 0);
  if (frame < 0) return;
  const double share = softened_share(session_.document.shoot(), frame);
  const Suspect* suspect = session_.light.suspect_at(frame);
  event_->setText(tr("Frame %1: %2 %3")
                      .arg(frame + 1)
                      .arg(QString::fromStdString(suspect->reason) + ".")
                      .arg(share > 0 ? tr("Softened.") : tr("Kept.")));
  soften_->set_value(100 * share);
}

void FlickerDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const auto& d = session_.document.decisions().deflicker;
  on_->setChecked(d.on);
  period_->setEnabled(d.on);
  limit_->setEnabled(d.on);
  for (QComboBox* box : {uneven_, colour_}) box->setEnabled(d.on);
  uneven_->setCurrentIndex(static_cast<int>(d.uneven));
  colour_->setCurrentIndex(static_cast<int>(d.colour));
  period_->set_value(d.period);
  limit_->set_value(d.limit);
  refresh_areas();
  refresh_event();
  const bool known = session_.light.known();
  map_->setChecked(session_.areas.map());
  map_->setEnabled(known && !session_.light.steady().empty());
  beside_->setChecked(session_.judging.beside());
  lens_->setChecked(session_.judging.lens());
  statement_->setText(known ? statement() : light_words());
  statement_->setVisible(!statement_->text().isEmpty());
  warning_->setText(known ? in_the_way() : QString());
  warning_->setVisible(!warning_->text().isEmpty());
}

}  // namespace tsukimi::app
