// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/steps_drawer.h"

namespace tsukimi::app {

StepsDrawer::StepsDrawer(Session& session, QWidget* parent) : Drawer(tr("Steps"), session, parent) {
  auto* what = words();
  what->setText(
      tr("Takes out the steps of shutter, ISO and aperture. The light's own way from day to night "
         "stays."));
  on_ = check(tr("Level the exposure steps"), "level_on",
              tr("Measured from the picture, guided by the metadata"));
  find_ = check(tr("Look for steps in the pictures"), "find_steps",
                tr("The metadata tell no exposure. Off: the shoot has no steps."));
  follow_ = new Ruler({"follow_light", tr("Follow the light"), "%",
                       tr("0 keeps the brightness that the steps were meant to hold; 100 shows the "
                          "light as it truly fell."),
                       0, 100, 0, 5, 0});
  column_->addWidget(follow_);
  summary_ = words("body");
  warning_ = words("attention");
  columns_ = heading(tr("Steps"));
  steps_ = list("steps", 330);
  column_->addStretch(1);
  connect(on_, &QCheckBox::clicked, this, [this](bool on) {
    session_.document.edit(on ? tr("Level the steps") : tr("Leave the steps"),
                           [&](Shoot& s) { s.decisions.level.on = on; });
  });
  connect(find_, &QCheckBox::clicked, this, [this](bool on) {
    session_.document.edit(tr("Look for steps in the pictures"),
                           [&](Shoot& s) { s.decisions.level.find_steps = on; });
  });
  connect(follow_, &Ruler::edited, this, [this](double v, int drag) {
    session_.document.edit(
        tr("Follow the light"), [&](Shoot& s) { s.decisions.level.follow_light = v / 100; },
        tr("follow the light %1").arg(drag));
  });
  connect(steps_, &QListWidget::itemClicked, this, [this](QListWidgetItem* i) {
    session_.playhead.set_frame(i->data(Qt::UserRole).toInt());
  });
}

void StepsDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const auto& level = session_.document.decisions().level;
  on_->setChecked(level.on);
  follow_->setEnabled(level.on);
  follow_->set_value(level.follow_light * 100);
  const auto& frames = session_.document.shoot().sequence.frames;
  find_->setVisible(std::ranges::none_of(frames, gain_is_known));
  find_->setChecked(level.find_steps);
  if (!session_.light.known()) {
    summary_->setText(light_words());
    warning_->clear();
    return;
  }
  const auto& r = session_.light.plan().level;
  columns_->setText(r.found_in_picture ? tr("Steps: frame, in thirds, measured (stops)")
                                       : tr("Steps: frame, metadata, measured (stops)"));
  if (r.steps.empty())
    summary_->setText(tr("The camera kept one exposure. There is nothing to level."));
  else
    summary_->setText(level.on
                          ? tr("%1 steps levelled, largest correction %2 stops.")
                                .arg(r.steps.size())
                                .arg(r.largest_correction, 0, 'f', 2)
                          : tr("%1 steps found. They are still in the film.").arg(r.steps.size()));
  warning_->setVisible(level.on && !r.beyond_data.empty());
  warning_->setText(tr("%1 frames are darkened although part of them is clipped: the clipped "
                       "part turns grey. The first is frame %2.")
                        .arg(r.beyond_data.size())
                        .arg(r.beyond_data.empty() ? 0 : r.beyond_data.front() + 1));
  if (steps_->count() != static_cast<int>(r.steps.size()) ||
      steps_->property("version").toULongLong() != session_.version()) {
    const int row = steps_->currentRow();
    steps_->clear();
    auto stops = [](double v) {
      return QString("%1%2").arg(v < -0.0005 ? "−" : "+").arg(std::abs(v), 0, 'f', 2);
    };
    for (const auto& s : r.steps) {
      auto* item =
          new QListWidgetItem(QString("%1      %2      %3")
                                  .arg(frame_number(s.at), stops(s.nominal), stops(s.measured)));
      item->setData(Qt::UserRole, s.at);
      steps_->addItem(item);
    }
    steps_->setCurrentRow(row);
    steps_->setProperty("version", session_.version());
  }
}

}  // namespace tsukimi::app
