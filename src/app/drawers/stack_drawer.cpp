// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/stack_drawer.h"

#include <QMenu>
#include <cmath>

#include "app/widgets/tabs.h"
#include "camera/moment.h"

namespace tsukimi::app {
namespace {

enum StackRole { kMoment = Qt::UserRole, kShotFile };

QString stops_of(double stops) {
  if (std::abs(stops) < 0.05) return "0";
  return QString("%1%2")
      .arg(stops < 0 ? "−" : "+")
      .arg(std::abs(stops), 0, 'g', std::abs(stops) < 10 ? 2 : 3);
}

// Lines of a list, built anew only when they changed, so that a click keeps its place.
void set_lines(QListWidget* list, const std::vector<std::pair<QString, QVariantList>>& lines) {
  QStringList now;
  for (const auto& [text, data] : lines) now << text;
  if (list->property("lines").toStringList() == now &&
      list->count() == static_cast<int>(lines.size()))
    return;
  list->setProperty("lines", now);
  const QSignalBlocker quiet(list);
  list->clear();
  for (const auto& [text, data] : lines) {
    auto* item = new QListWidgetItem(text);
    item->setToolTip(text);
    for (int k = 0; k < data.size(); ++k) item->setData(kMoment + k, data[k]);
    list->addItem(item);
  }
}

}  // namespace

StackDrawer::StackDrawer(Session& session, QWidget* parent) : Drawer(tr("Stack"), session, parent) {
  auto* tabs = line();
  tabs->setSpacing(4);
  pages_ = new QStackedWidget;
  column_->addWidget(pages_);
  add_brackets_page();
  QVBoxLayout* page = app::add_page(pages_, tabs_, "stack_trails", tr("Star trails"));
  trails_ = new TrailsPage(session_);
  page->addWidget(trails_);
  column_->addStretch(1);
  for (std::size_t i = 0; i < tabs_.size(); ++i) {
    tabs->addWidget(tabs_[i]);
    connect(tabs_[i], &QToolButton::clicked, this, [this, i] { open_page(static_cast<int>(i)); });
  }
  open_page(0);
}

void StackDrawer::open_page(int page) {
  show_page(pages_, tabs_, page);
  if (isVisible()) session_.keys.set_target(page == 1 ? KeyTarget{kTrails} : KeyTarget{});
}

void StackDrawer::showEvent(QShowEvent* e) {
  // What the shoot has is seen first.
  const bool trails = session_.trails.has_trails() && !session_.stack.has_brackets();
  open_page(trails ? 1 : pages_->currentIndex());
  Drawer::showEvent(e);
}

void StackDrawer::add_brackets_page() {
  QVBoxLayout* page = app::add_page(pages_, tabs_, "stack_brackets", tr("Brackets"));
  page->setSpacing(column_->spacing());
  QVBoxLayout* const outer = std::exchange(column_, page);
  auto* what = words();
  what->setText(
      tr("A frame of the film is one shot, or the shots of a moment that differ in exposure: a "
         "bracket."));
  heading(tr("Exposure brackets"));
  summary_ = words("body");
  auto* row = line();
  row->addWidget(new QLabel(tr("Shots of a moment")), 1);
  size_ = field<QComboBox>("set_size", tr("Shots of a moment"),
                           tr("How many shots in a row are one moment"));
  size_->addItem(tr("1: every shot"), 1);
  for (int n = 2; n <= kMostShots; ++n) size_->addItem(QString::number(n), n);
  row->addWidget(size_, 1);
  row = line();
  frame_words_ = new QLabel(tr("Its frame"));
  row->addWidget(frame_words_, 1);
  frame_ = field<QComboBox>("bracket_frame", tr("Its frame"),
                            tr("All shots of the moment merged in sensor light, or one of them"));
  row->addWidget(frame_, 1);
  align_ = new QCheckBox(tr("Lay the shots onto each other"));
  align_->setObjectName("align");
  align_->setToolTip(
      tr("Where wind or the mirror moved the camera between the shots; the frame "
         "stays as large as it is"));
  column_->addWidget(align_);
  pause_ = new Ruler({"pause", tr("Moments are parted by"), "s",
                      tr("So long without a shot, and the next moment begins. 0: told by the "
                         "exposures alone."),
                      0, 60, 0, 0.1, 1});
  column_->addWidget(pause_);
  write_ = button(tr("Write merged frames"), "write_merged",
                  tr("The merged frames before look, light and framing, for other programs: into "
                     "a new folder beside this one"));
  auto* menu = new QMenu(write_);
  for (const FileFormat format : {FileFormat::exr, FileFormat::dng})
    menu->addAction(words_of(info(format).label), this,
                    [this, format] { session_.exports.start_merged(format); });
  write_->setMenu(menu);
  column_->addWidget(write_);
  written_ = words("body");
  irregular_heading_ = heading(tr("Moments that are not like the others"));
  irregular_ = list("irregular", text_px(120));
  shots_heading_ = heading(tr("Shots of this moment"));
  shots_ = list("shots", text_px(120));
  row = line();
  before_ = button(tr("To the one before"), "shot_before",
                   tr("The chosen shot belongs to the moment before"));
  after_ = button(tr("To the one after"), "shot_after",
                  tr("The chosen shot belongs to the moment after"));
  row->addWidget(before_);
  row->addWidget(after_);
  aside_ = button(tr("Set aside"), "moment_aside", tr("Leave this moment out of the film (A)"));
  column_->addWidget(aside_);
  column_->addStretch(1);
  column_ = outer;
  connect(size_, &QComboBox::activated, this,
          [this](int i) { session_.stack.set_size(size_->itemData(i).toInt()); });
  connect(frame_, &QComboBox::activated, this, [this](int i) { session_.stack.set_exposure(i); });
  connect(align_, &QCheckBox::clicked, this, [this](bool on) {
    session_.stack.set_aligned(on);
    refresh_aligned();
  });
  connect(&session_.tasks, &TaskList::changed, this, [this] {
    if (isVisible()) refresh_aligned();
  });
  // Frames are made anew when the hand rests, not while it drags.
  pause_rests_.setSingleShot(true);
  pause_rests_.setInterval(300);
  connect(pause_, &Ruler::edited, &pause_rests_, qOverload<>(&QTimer::start));
  connect(&pause_rests_, &QTimer::timeout, this,
          [this] { session_.stack.set_pause(pause_->value()); });
  connect(irregular_, &QListWidget::itemClicked, this,
          [this](QListWidgetItem* i) { session_.playhead.set_frame(i->data(kMoment).toInt()); });
  connect(shots_, &QListWidget::currentRowChanged, this, [this] { refresh_shots(); });
  for (const auto& [button, by] : {std::pair{before_, -1}, {after_, 1}})
    connect(button, &QPushButton::clicked, this, [this, by = by] {
      if (const auto* shot = shots_->currentItem())
        session_.stack.move_shot(shot->data(kShotFile).toByteArray().toStdString(), by);
    });
  connect(aside_, &QPushButton::clicked, this, [this] { session_.checking.toggle_set_aside(); });
  connect(&session_.exports, &Exports::finished, this, [this] {
    if (isVisible()) refresh_written();
  });
  connect(&session_.playhead, &Playhead::frame_changed, this, [this] {
    if (isVisible()) refresh_shots();
  });
}

QString StackDrawer::counted() const {
  const MomentReport& r = session_.stack.report();
  if (r.set_size <= 1) return tr("No brackets: each of the %1 shots is a frame.").arg(r.files);
  QStringList stops;
  for (const double s : r.stops) stops << stops_of(s);
  QString out = tr("<b>%1 moments</b> of %2").arg(r.moments).arg(r.set_size);
  if (!stops.isEmpty()) out += tr(": %1 stops").arg(stops.join(", "));
  if (r.whole())
    return out + tr("<br>%1 shots / %2 = %3: none is missing.")
                     .arg(r.files)
                     .arg(r.set_size)
                     .arg(r.moments);
  return out + tr("<br>%1 shots; %2 of the moments are not like the others.")
                   .arg(r.files)
                   .arg(r.irregular.size());
}

void StackDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  mark_tab(tabs_[0], session_.stack.has_brackets());
  mark_tab(tabs_[1], session_.trails.has_trails());
  trails_->refresh();
  const bool brackets = session_.stack.has_brackets();
  const Bracketing& how = session_.stack.brackets();
  summary_->setText(counted());
  size_->setCurrentIndex(size_->findData(how.set_size));
  for (QWidget* w : std::initializer_list<QWidget*>{
           frame_words_, frame_, align_, write_, written_, pause_, irregular_heading_, irregular_,
           shots_heading_, shots_, before_, after_, aside_})
    w->setVisible(brackets);
  if (!brackets) return;
  const auto& stops = session_.stack.report().stops;
  QStringList choices{tr("all, merged")};
  for (int k = 1; k <= how.set_size; ++k)
    choices << (k <= std::ssize(stops) ? tr("shot %1 alone: %2")
                                             .arg(k)
                                             .arg(stops_of(stops[static_cast<std::size_t>(k) - 1]))
                                       : tr("shot %1 alone").arg(k));
  // Only where it says something else: somebody may have it open.
  if (frame_->property("choices").toStringList() != choices) {
    frame_->setProperty("choices", choices);
    const QSignalBlocker quiet(frame_);
    frame_->clear();
    frame_->addItems(choices);
  }
  frame_->setCurrentIndex(how.exposure);
  if (!pause_rests_.isActive()) pause_->set_value(how.pause);
  refresh_aligned();
  refresh_written();
  refresh_irregular();
  refresh_shots();
}

void StackDrawer::refresh_aligned() {
  const Bracketing& how = session_.stack.brackets();
  align_->setVisible(session_.stack.has_brackets() && how.exposure == 0);
  align_->setChecked(how.aligned || session_.stack.aligning());
  align_->setEnabled(!session_.stack.aligning());
}

// What is on its way stands in the bar below; here how it ended.
void StackDrawer::refresh_written() {
  const bool merged = session_.stack.has_brackets() && session_.stack.brackets().exposure == 0,
             exporting = session_.exports.running();
  const auto& last = session_.exports.last();
  const bool ours = last && last->job.merged && !exporting;
  write_->setVisible(merged);
  write_->setEnabled(!exporting);
  written_->setVisible(merged && ours);
  if (!ours) return;
  written_->setText(
      last->state == JobState::done
          ? tr("%1 frames are in %2.")
                .arg(last->written + last->kept)
                .arg(QString::fromStdString(printable(last->job.frames.front().folder)))
      : last->problem.empty() ? tr("It was cancelled.")
                              : QString::fromStdString(last->problem));
}

void StackDrawer::refresh_irregular() {
  std::vector<std::pair<QString, QVariantList>> lines;
  for (const auto& one : session_.stack.report().irregular)
    lines.push_back(
        {QString("%1   %2").arg(frame_number(one.frame), QString::fromStdString(one.why)),
         {one.frame}});
  irregular_->setVisible(!lines.empty());
  irregular_heading_->setText(lines.empty() ? tr("All moments are alike")
                                            : tr("Moments that are not like the others"));
  set_lines(irregular_, lines);
}

void StackDrawer::refresh_shots() {
  if (!session_.stack.has_brackets()) return;
  const Shoot& shoot = session_.document.shoot();
  const int frame = session_.playhead.frame();
  const FrameInfo& moment = shoot.sequence.frames[static_cast<std::size_t>(frame)];
  std::vector<std::pair<QString, QVariantList>> lines;
  for (const FrameInfo& shot : shots_of({moment})) {
    const double stops = stops_apart(shot, moment);
    lines.push_back(
        {QString("%1   %2   %3%4")
             .arg(QString::fromStdString(printable(shot.file.substr(shot.file.rfind('/') + 1))),
                  QString::fromStdString(format_shutter(shot.shutter)),
                  std::isnan(stops) ? tr("unknown") : stops_of(stops),
                  shot.file == moment.file ? tr("  frame") : QString()),
         {frame, QByteArray::fromStdString(shot.file)}});
  }
  shots_heading_->setText(tr("Shots of moment %1").arg(frame + 1));
  set_lines(shots_, lines);
  const bool chosen = shots_->currentRow() >= 0;
  before_->setEnabled(chosen && frame > 0);
  after_->setEnabled(chosen && frame + 1 < shoot.frame_count());
  aside_->setText(is_set_aside(shoot, frame) ? tr("Bring this moment back")
                                             : tr("Set this moment aside"));
}

}  // namespace tsukimi::app
