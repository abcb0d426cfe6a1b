// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/flicker_drawer.h"

namespace tsukimi::app {

FlickerDrawer::FlickerDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Flicker"), session, parent) {
  auto* what = words();
  what->setText(tr("Brings every frame's brightness to a smooth goal. The evening still falls."));
  statement_ = words("body");
  on_ = check(tr("Remove flicker"), "deflicker_on", tr("Corrects brightness in linear light"));
  period_ = new Ruler({"period", tr("Keep changes slower than"), "frames",
                       tr("Changes of light that are faster than this count as flicker."), 3, 200,
                       24, 1, 0});
  limit_ = new Ruler({"limit", tr("Largest correction"), "stops",
                      tr("Where less than three quarters of the picture agree, no frame is changed "
                         "by more than this."),
                      0, 3, 0.7, 0.05, 2});
  column_->addWidget(period_);
  column_->addWidget(limit_);
  heading(tr("Not the same everywhere"));
  uneven_ =
      choice(tr("Bands and parts"), "uneven",
             tr("Lamps that draw bands, parts of the picture that flicker by themselves: taken "
                "out where they are found, also where they are faint, or not looked for"));
  colour_ = choice(tr("Colours"), "colour_flicker",
                   tr("Red, green and blue that flicker apart: taken out where they are found, "
                      "also where they are faint, or not looked for"));
  heading(tr("Steady area"));
  area_ = words();
  whole_ = button(tr("Measure the whole picture"), "whole_picture", tr("Forget the steady area"));
  column_->addWidget(whole_);
  heading(tr("Measured"));
  summary_ = words("body");
  worst_ =
      button(tr("Go to the largest correction"), "worst", tr("The frame that is changed most"));
  column_->addWidget(worst_);
  warning_ = words("attention");
  column_->addStretch(1);
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
  connect(whole_, &QPushButton::clicked, this, [this] {
    session_.document.edit(tr("Measure the whole picture"),
                           [](Shoot& s) { s.decisions.deflicker.steady_area.reset(); });
  });
  connect(worst_, &QPushButton::clicked, this,
          [this] { session_.playhead.set_frame(session_.light.plan().deflicker.largest_at); });
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
  QString text = tr("Flicker <b>%1 %</b>").arg(left.before_median, 0, 'f', 2);
  if (on) text += tr(", now <b>%1 %</b>").arg(left.left_median, 0, 'f', 2);
  if (plan.noise_percent > 0)
    text += tr("; the noise allows %1 %").arg(plan.noise_percent, 0, 'f', 2);
  text += ".";
  if (on)
    text +=
        left.worse_share < 0.005
            ? tr(" Nothing got worse.")
            : tr(" It got worse in %1 % of the picture.").arg(100 * left.worse_share, 0, 'f', 0);
  for (const FlickerFound& one : plan.found) {
    const QString percent = QString::number(one.percent, 'f', 1);
    switch (one.kind) {
      case FlickerKind::bands:
        text += tr("<br>Bands: %1 of them over the %2, %3 %.")
                    .arg(one.wave.cycles, 0, 'f', 1)
                    .arg(one.wave.across ? tr("width") : tr("height"), percent);
        break;
      case FlickerKind::part:
        text += tr("<br>A part of the picture flickers by itself, %1 %.").arg(percent);
        break;
      case FlickerKind::colour:
        text += tr("<br>The colours flicker apart, %1 %.").arg(percent);
        break;
    }
  }
  return text;
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
  whole_->setVisible(d.steady_area.has_value());
  area_->setText(
      d.steady_area
          ? tr("%1 × %2 % of the frame, drawn on the picture.")
                .arg(100 * d.steady_area->w, 0, 'f', 0)
                .arg(100 * d.steady_area->h, 0, 'f', 0)
          : QString(tr(
                "The whole picture. Draw on the picture what should not change: rock, a wall.")));
  const bool known = session_.light.known();
  worst_->setVisible(known && d.on && session_.light.plan().deflicker.largest_at >= 0);
  warning_->clear();
  statement_->setText(known ? statement() : light_words());
  statement_->setVisible(!statement_->text().isEmpty());
  if (!known) return summary_->clear();
  const auto& r = session_.light.plan().deflicker;
  auto row = [](const QString& name, const QString& value) {
    return QString("<tr><td>%1</td><td align='right'><b>%2</b></td></tr>").arg(name, value);
  };
  const QString in_worst = tr("In the worst tenth of the picture");
  const auto& left = session_.light.plan().left;
  QString text = "<table width='100%'>" + row(in_worst, tr("%1 %").arg(left.before_p90, 0, 'f', 2));
  if (d.on) {
    text += row(tr("left there"), tr("%1 %").arg(left.left_p90, 0, 'f', 2));
    text += row(tr("Largest correction"), tr("%1 stops").arg(r.largest_correction, 0, 'f', 2));
    if (r.largest_at >= 0) text += row(tr("at frame"), QString::number(r.largest_at + 1));
  }
  summary_->setText(text + "</table>");
  if (d.on && r.held)
    warning_->setText(tr(
        "Parts of the picture flicker apart: taking it out of one would put it into another. Only "
        "frames that stand out are corrected. Draw on the picture what matters most."));
  else if (d.on && !r.limited.empty()) {
    QStringList frames;
    for (int i : r.limited) frames << QString::number(i + 1);
    warning_->setText(tr("More than flicker: frame %1 would need more than the largest correction.")
                          .arg(frames.mid(0, 8).join(", ") + (frames.size() > 8 ? " …" : "")));
  }
}

}  // namespace tsukimi::app
