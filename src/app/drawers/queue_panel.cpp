// SPDX-License-Identifier: GPL-3.0-or-later
#include <QHBoxLayout>
#include <QHeaderView>
#include <QImageReader>
#include <cmath>

#include "app/convert/path_text.h"
#include "app/convert/value_text.h"
#include "app/drawers/panels.h"

namespace tsukimi::app {
namespace {

// "H.264, 3840×2160": what a job makes.
QString kinds_of(const ExportJob& job) {
  auto pixels = [](const PixelSize& p) {
    return p.exact.width > 0 ? QString(", %1×%2").arg(p.exact.width).arg(p.exact.height)
           : p.long_edge > 0 ? QString(", %1").arg(p.long_edge)
                             : QString();
  };
  QStringList out;
  for (const auto& f : job.frames) out << words_of(info(f.format).label) + pixels(f.pixels);
  for (const auto& f : job.films) out << words_of(info(f.codec).label) + pixels(f.pixels);
  return out.join(" + ");
}

QString state_words(JobState state) {
  const QString words[] = {QueuePanel::tr("waits"),     QueuePanel::tr("is made"),
                           QueuePanel::tr("rests"),     QueuePanel::tr("done"),
                           QueuePanel::tr("not whole"), QueuePanel::tr("cancelled")};
  return words[static_cast<std::size_t>(state)];
}

QString left_words(double seconds) {
  if (seconds < 0) return {};
  return seconds < 90 ? QueuePanel::tr("%1 s left").arg(std::ceil(seconds))
                      : QueuePanel::tr("%1 min left").arg(std::round(seconds / 60));
}

// Where it goes, for a tool tip.
QString places_of(const ExportJob& job) {
  QStringList out;
  for (const auto& f : job.frames) out << shown_path(f.folder);
  for (const auto& f : job.films) out << shown_path(f.file);
  return out.join("\n");
}

}  // namespace

QueuePanel::QueuePanel(Session& session)
    : Panel(tr("Export queue"), session), queue_(session.exports.queue()) {
  column_->setSpacing(6);
  picture_ = new QLabel;
  picture_->setObjectName("queue_picture");
  picture_->setAccessibleName(tr("The frame that was made last"));
  picture_->setAlignment(Qt::AlignCenter);
  picture_->setFixedHeight(text_px(150));
  column_->addWidget(picture_);
  now_ = words("body");
  now_->setObjectName("queue_now");
  bar_ = new QProgressBar;
  bar_->setObjectName("queue_progress");
  bar_->setTextVisible(false);
  column_->addWidget(bar_);
  jobs_ = new QTreeWidget;
  jobs_->setObjectName("queue_jobs");
  jobs_->setAccessibleName(tr("Jobs in the order in which they run"));
  jobs_->setColumnCount(2);
  jobs_->setHeaderHidden(true);
  jobs_->setRootIsDecorated(false);
  jobs_->header()->setStretchLastSection(false);
  jobs_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  jobs_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
  add_sharing(jobs_, 150, 5);
  about_ = words();
  about_->setObjectName("queue_about");
  auto* row = line();
  row->setSpacing(3);
  pause_ = button(tr("Pause"), "queue_pause", tr("The chosen job rests; the next one begins"));
  up_ = button(tr("Earlier"), "queue_up", tr("Before the one above it"));
  down_ = button(tr("Later"), "queue_down", tr("Behind the one below it"));
  cancel_ = button(tr("Cancel"), "queue_cancel",
                   tr("The chosen job ends; what is finished stays where it is"));
  for (auto* b : {pause_, up_, down_, cancel_}) {
    b->setStyleSheet("padding: 3px 2px");
    row->addWidget(b, 1);
  }
  clear_ = button(tr("Forget what has ended"), "queue_clear",
                  tr("Takes jobs that have ended from this list; files stay"));
  column_->addWidget(clear_);
  start_ = button(tr("Go on with the queue"), "queue_start", tr("Works on what waits"));
  column_->addWidget(start_);
  auto* back = button(tr("Back"), "queue_back", "");
  column_->addWidget(back);
  connect(back, &QPushButton::clicked, this, &Panel::done);
  connect(jobs_, &QTreeWidget::currentItemChanged, this, &QueuePanel::show_buttons);
  connect(pause_, &QPushButton::clicked, this, [this] {
    const QueuedJob* j = chosen();
    if (!j) return;
    const bool active = j->state == JobState::waiting || j->state == JobState::running;
    active ? queue_.pause(j->id) : queue_.go_on(j->id);
  });
  connect(cancel_, &QPushButton::clicked, this, [this] {
    if (const QueuedJob* j = chosen()) queue_.cancel(j->id);
  });
  connect(up_, &QPushButton::clicked, this, [this] { move(-1); });
  connect(down_, &QPushButton::clicked, this, [this] { move(1); });
  connect(clear_, &QPushButton::clicked, this, [this] { queue_.clear_ended(); });
  connect(start_, &QPushButton::clicked, this, [this] { queue_.start(); });
  connect(&queue_, &ExportQueue::changed, this, [this] {
    if (isVisible()) refresh();
  });
  connect(&queue_, &ExportQueue::progressed, this, [this] {
    if (isVisible()) show_now();
  });
}

void QueuePanel::showEvent(QShowEvent*) {
  queue_.look();
  refresh();
}

const QueuedJob* QueuePanel::chosen() const {
  const auto* item = jobs_->currentItem();
  return item ? queue_.job(item->data(0, Qt::UserRole).toInt()) : nullptr;
}

void QueuePanel::move(int by) {
  const QueuedJob* j = chosen();
  if (j) queue_.move(j->id, static_cast<int>(j - queue_.jobs().data()) + by);
}

void QueuePanel::refresh() {
  show_jobs();
  show_now();
  show_buttons();
}

void QueuePanel::show_jobs() {
  const QSignalBlocker quiet(jobs_);
  const auto& all = queue_.jobs();
  const int kept = jobs_->currentItem() ? jobs_->currentItem()->data(0, Qt::UserRole).toInt() : 0;
  while (jobs_->topLevelItemCount() > std::ssize(all)) delete jobs_->topLevelItem(0);
  while (jobs_->topLevelItemCount() < std::ssize(all)) new QTreeWidgetItem(jobs_);
  QTreeWidgetItem* current = nullptr;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const QueuedJob& j = all[i];
    auto* item = jobs_->topLevelItem(static_cast<int>(i));
    item->setText(0, QString("%1\n%2").arg(QString::fromStdString(j.name), kinds_of(j.job)));
    item->setText(1, state_words(j.state));
    item->setToolTip(0, places_of(j.job));
    item->setData(0, Qt::UserRole, j.id);
    item->setForeground(1, j.state == JobState::failed    ? colour::coral
                           : j.state == JobState::running ? colour::moon
                                                          : colour::text);
    if (j.id == kept) current = item;
  }
  // The one that is worked on, until another is chosen.
  for (std::size_t i = 0; i < all.size() && !current; ++i)
    if (!all[i].ended()) current = jobs_->topLevelItem(static_cast<int>(i));
  jobs_->setCurrentItem(current);
}

void QueuePanel::show_now() {
  const auto& p = queue_.progress();
  const QueuedJob* j = p ? queue_.job(p->id) : nullptr;
  const bool runs = j && j->state == JobState::running;
  bar_->setVisible(runs);
  start_->setVisible(!queue_.running() && !queue_.idle() && !queue_.changing());
  if (!runs) {
    const bool any = !queue_.jobs().empty();
    now_->setText(!queue_.idle() ? tr("Exports wait. Nobody works on them.")
                  : any          ? tr("Nothing waits.")
                                 : tr("What you export is worked on here, one after the other."));
    if (queue_.idle()) picture_->clear();
    picture_->setVisible(false);
    return;
  }
  const QString what = words_of(p->step.c_str());
  QStringList facts;
  if (p->total > 0) facts << tr("frame %1 of %2").arg(p->done).arg(p->total);
  if (p->fps > 0) facts << tr("%1 a second").arg(p->fps, 0, 'f', p->fps < 10 ? 1 : 0);
  if (const QString left = left_words(p->seconds_left); !left.isEmpty()) facts << left;
  now_->setText(
      QString("<b>%1</b>, %2<br>%3")
          .arg(QString::fromStdString(j->name).toHtmlEscaped(), what, facts.join("  ·  ")));
  bar_->setRange(0, std::max(p->total, 0));
  bar_->setValue(p->done);
  QImageReader reader(QFile::decodeName(queue_.picture().c_str()));
  const QPixmap picture = QPixmap::fromImage(reader.read());
  picture_->setVisible(!picture.isNull());
  if (!picture.isNull())
    picture_->setPixmap(picture.scaled(picture_->size() * devicePixelRatioF(), Qt::KeepAspectRatio,
                                       Qt::SmoothTransformation));
}

void QueuePanel::show_buttons() {
  const QueuedJob* j = chosen();
  const bool active = j && (j->state == JobState::waiting || j->state == JobState::running);
  const auto place = j ? j - queue_.jobs().data() : 0;
  pause_->setText(j && !active && j->state != JobState::done ? tr("Go on") : tr("Pause"));
  pause_->setEnabled(j && j->state != JobState::done);
  cancel_->setEnabled(j && !j->ended());
  up_->setEnabled(j && place > 0);
  down_->setEnabled(j && place + 1 < std::ssize(queue_.jobs()));
  clear_->setEnabled(std::ranges::any_of(queue_.jobs(), &QueuedJob::ended));
  QString about;
  if (j) {
    if (!j->problem.empty())
      about = attention(QString::fromStdString(j->problem));
    else if (j->state == JobState::done)
      about = tr("%1 frames made, %2 were there already.").arg(j->written).arg(j->kept);
    about +=
        (about.isEmpty() ? "" : "<br>") + places_of(j->job).toHtmlEscaped().replace("\n", "<br>");
  }
  about_->setText(about);
}

}  // namespace tsukimi::app
