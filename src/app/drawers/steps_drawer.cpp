// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/steps_drawer.h"

#include "document/light_edit.h"

namespace tsukimi::app {
namespace {

QString stops_text(double v) {
  return QString("%1%2").arg(v < -0.0005 ? "−" : "+").arg(std::abs(v), 0, 'f', 2);
}

// What stands behind a step's sizes when it is not as measured.
QString use_text(const LevelStep& step) {
  switch (step.use) {
    case StepUse::measured:
      return {};
    case StepUse::nominal:
      return StepsDrawer::tr("as told");
    case StepUse::by_hand:
      return StepsDrawer::tr("by hand %1").arg(stops_text(step.taken));
    case StepUse::ignored:
      return StepsDrawer::tr("ignored");
  }
  return {};
}

}  // namespace

StepsDrawer::StepsDrawer(Session& session, QWidget* parent) : Drawer(tr("Steps"), session, parent) {
  auto* what = words();
  what->setText(
      tr("Takes out the steps of shutter, ISO and aperture. The light's own way from day to night "
         "stays."));
  on_ = check(tr("Level the exposure steps"), "level_on",
              tr("Measured from the picture, guided by the metadata"));
  find_ = check(tr("Look for steps in the pictures"), "find_steps",
                tr("The metadata tell no exposure. Off: the shoot has no steps."));
  follow_ = new Ruler({"follow_light", tr("Night depth"), "%",
                       tr("0 keeps the brightness that the steps were meant to hold; 100 shows the "
                          "light as it truly fell."),
                       0, 100, 0, 5, 0});
  column_->addWidget(follow_);
  evening_ = new EveningView(session_);
  column_->addWidget(evening_);
  summary_ = words("body");
  warning_ = words("attention");
  warning_->setTextInteractionFlags(Qt::TextBrowserInteraction);
  columns_ = heading(tr("Steps"));
  steps_ = list("steps", text_px(190));
  auto* row = line();
  this_step_ = new QLabel(tr("Take out"));
  row->addWidget(this_step_, 1);
  use_ = field<QComboBox>("step_use", tr("What is taken out of this step"),
                          tr("What is taken out of the step that is chosen above"));
  // In the order of StepUse.
  use_->addItems({tr("as measured"), tr("as the metadata tell"), tr("by hand"), tr("nothing")});
  row->addWidget(use_, 2);
  by_hand_ = new Ruler({"step_by_hand", tr("Size of this step"), "stops",
                        tr("What is taken out of this step"), -5, 5, 0, 0.01, 2});
  column_->addWidget(by_hand_);
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
        tr("Night depth"), [&](Shoot& s) { s.decisions.level.follow_light = v / 100; },
        tr("night depth %1").arg(drag));
  });
  connect(steps_, &QListWidget::itemClicked, this, [this](QListWidgetItem* i) {
    session_.playhead.set_frame(i->data(Qt::UserRole).toInt());
  });
  connect(steps_, &QListWidget::currentRowChanged, this, [this](int at) {
    chosen_at_ = at < 0 ? -1 : steps_->item(at)->data(Qt::UserRole).toInt();
    refresh_choice();
  });
  connect(use_, &QComboBox::activated, this, [this](int i) {
    if (const LevelStep* step = chosen())
      session_.document.edit(tr("Choose a step"),
                             [&, at = step->at, stops = step->measured](Shoot& s) {
                               choose_step(s, at, StepUse(i), std::round(stops * 100) / 100);
                             });
  });
  connect(by_hand_, &Ruler::edited, this, [this](double v, int drag) {
    if (const LevelStep* step = chosen())
      session_.document.edit(
          tr("Set a step by hand"),
          [&, at = step->at](Shoot& s) { choose_step(s, at, StepUse::by_hand, v); },
          tr("step %1 %2").arg(step->at).arg(drag));
  });
  connect(warning_, &QLabel::linkActivated, this,
          [this](const QString& frame) { session_.playhead.set_frame(frame.toInt()); });
  connect(&session_.playhead, &Playhead::frame_changed, evening_, qOverload<>(&QWidget::update));
}

const LevelStep* StepsDrawer::chosen() const {
  const auto& steps = session_.light.plan().level.steps;
  const auto step = std::ranges::find(steps, chosen_at_, &LevelStep::at);
  return step == steps.end() ? nullptr : &*step;
}

void StepsDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const auto& level = session_.document.decisions().level;
  on_->setChecked(level.on);
  follow_->setEnabled(level.on);
  follow_->set_value(level.follow_light * 100);
  evening_->setEnabled(level.on);
  evening_->update();
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
  const int first = r.beyond_data.empty() ? 0 : r.beyond_data.front();
  warning_->setText(tr("%1 frames are darkened although part of them is clipped: the clipped "
                       "part turns grey. The first is frame %2.")
                        .arg(r.beyond_data.size())
                        .arg(QString("<a style='color:%1' href='%2'>%3</a>")
                                 .arg(colour::moon.name())
                                 .arg(first)
                                 .arg(first + 1)));
  refresh_list();
  refresh_choice();
}

void StepsDrawer::refresh_list() {
  const auto& steps = session_.light.plan().level.steps;
  QStringList lines;
  for (const LevelStep& s : steps)
    lines << QString("%1      %2      %3      %4")
                 .arg(frame_number(s.at), stops_text(s.nominal), stops_text(s.measured),
                      use_text(s));
  if (steps_->property("lines").toStringList() == lines &&
      steps_->count() == static_cast<int>(lines.size()))
    return;
  steps_->setProperty("lines", lines);
  // The chosen one stays, wherever it stands now.
  int row = -1;
  const QSignalBlocker quiet(steps_);
  steps_->clear();
  for (std::size_t i = 0; i < steps.size(); ++i) {
    auto* item = new QListWidgetItem(lines[static_cast<int>(i)]);
    item->setData(Qt::UserRole, steps[i].at);
    steps_->addItem(item);
    if (steps[i].at == chosen_at_) row = static_cast<int>(i);
  }
  steps_->setCurrentRow(row);
}

void StepsDrawer::refresh_choice() {
  const LevelStep* step = chosen();
  const bool may = step && session_.document.decisions().level.on;
  this_step_->setEnabled(may);
  use_->setEnabled(may);
  // As it is decided, which the plan follows a moment later.
  const StepChoice choice = step ? step_choice(session_.document.shoot(), step->at) : StepChoice{};
  use_->setCurrentIndex(static_cast<int>(choice.use));
  by_hand_->setVisible(may && choice.use == StepUse::by_hand);
  by_hand_->set_value(choice.stops);
}

}  // namespace tsukimi::app
