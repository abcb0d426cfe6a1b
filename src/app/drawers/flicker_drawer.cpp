// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/flicker_drawer.h"

namespace tsukimi::app {

FlickerDrawer::FlickerDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Flicker"), session, parent) {
  auto* what = words();
  what->setText(tr("Brings every frame's brightness to a smooth goal. The evening still falls."));
  on_ = check(tr("Remove flicker"), "deflicker_on", tr("Corrects brightness in linear light"));
  period_ = new Ruler({"period", tr("Keep changes slower than"), "frames",
                       tr("Changes of light that are faster than this count as flicker."), 3, 200,
                       24, 1, 0});
  limit_ = new Ruler({"limit", tr("Largest correction"), "stops",
                      tr("No frame is changed by more than this."), 0, 3, 0.7, 0.05, 2});
  column_->addWidget(period_);
  column_->addWidget(limit_);
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
  connect(whole_, &QPushButton::clicked, this, [this] {
    session_.document.edit(tr("Measure the whole picture"),
                           [](Shoot& s) { s.decisions.deflicker.steady_area.reset(); });
  });
  connect(worst_, &QPushButton::clicked, this,
          [this] { session_.playhead.set_frame(session_.light.plan().deflicker.largest_at); });
}

void FlickerDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const auto& d = session_.document.decisions().deflicker;
  on_->setChecked(d.on);
  period_->setEnabled(d.on);
  limit_->setEnabled(d.on);
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
  if (!known) return summary_->setText(light_words());
  const auto& r = session_.light.plan().deflicker;
  const auto& left = session_.light.plan().left;
  auto row = [](const QString& name, double percent, int decimals) {
    return QString("<tr><td>%1</td><td align='right'><b>%2 %</b></td></tr>")
        .arg(name)
        .arg(percent, 0, 'f', decimals);
  };
  QString text = "<table width='100%'>" + row(tr("Flicker in the picture"), left.before_median, 2);
  if (d.on) {
    text +=
        row("left", left.left_median, 2) + row(tr("in the worst tenth of it"), left.left_p90, 2);
    if (left.worse_share >= 0.005)
      text += row(tr("worse than before in"), 100 * left.worse_share, 0);
    text += tr("<tr><td>Largest correction</td><td align='right'>%1 stops</td></tr>")
                .arg(r.largest_correction, 0, 'f', 2);
    if (r.largest_at >= 0)
      text += tr("<tr><td>at frame</td><td align='right'>%1</td></tr>").arg(r.largest_at + 1);
  }
  summary_->setText(text + "</table>");
  if (d.on && !r.limited.empty()) {
    QStringList frames;
    for (int i : r.limited) frames << QString::number(i + 1);
    warning_->setText(tr("More than flicker: frame %1 would need more than the largest correction.")
                          .arg(frames.mid(0, 8).join(", ") + (frames.size() > 8 ? " …" : "")));
  }
}

}  // namespace tsukimi::app
