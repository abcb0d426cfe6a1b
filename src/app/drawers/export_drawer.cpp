// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/export_drawer.h"

#include <QStackedWidget>
#include <QStyle>
#include <QToolButton>

#include "document/framing/output_size.h"
#include "output/estimate_gif.h"
#include "output/name_pattern.h"
#include "output/space.h"

namespace tsukimi::app {
namespace {

QString amount(double bytes) {
  return bytes < 1e9 ? ExportDrawer::tr("%1 MB").arg(bytes / 1e6, 0, 'f', bytes < 1e7 ? 1 : 0)
                     : ExportDrawer::tr("%1 GB").arg(bytes / 1e9, 0, 'f', 1);
}

QString duration(double seconds) {
  constexpr double kMinute = 60, kHour = 3600;
  if (seconds < 1.5 * kMinute) return ExportDrawer::tr("%1 s").arg(std::ceil(seconds));
  if (seconds < 1.5 * kHour) return ExportDrawer::tr("%1 min").arg(std::round(seconds / kMinute));
  return ExportDrawer::tr("%1 h").arg(seconds / kHour, 0, 'f', 1);
}

// What is made, in a few words: "90 frames", "a film", "90 frames, 2 films".
QString what_of(const ExportJob& job, int frames) {
  const auto films = std::ssize(job.films);
  const QString f = ExportDrawer::tr("%1 frames").arg(frames),
                m = films == 1 ? ExportDrawer::tr("a film")
                               : ExportDrawer::tr("%1 films").arg(films);
  if (job.frames.empty()) return films > 0 ? m : QString();
  return films > 0 ? ExportDrawer::tr("%1, %2").arg(f, m) : f;
}

// Bytes of all that is made.
double needed(const Shoot& s, const ExportJob& job, int frames, double gif_bytes) {
  double out = std::max(gif_bytes, 0.0);
  for (const auto& f : job.frames) out += estimated_bytes(f, output_size(s, f.pixels)) * frames;
  for (const auto& f : job.films)
    if (f.codec != Codec::gif || gif_bytes < 0)
      out += 2 * estimated_film_bytes(f, rate_of(f.fps > 0 ? f.fps : s.decisions.fps),
                                      film_size(s, f), frames);  // its segments, and the film
  return out;
}

}  // namespace

ExportDrawer::ExportDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Export"), session, parent) {
  column_->setSpacing(6);
  auto* saved = button(tr("Saved settings …"), "saved_exports",
                       tr("Ways to export that are kept under a name: some are there already"));
  connect(saved, &QPushButton::clicked, this, &ExportDrawer::saved_wanted);
  column_->addWidget(saved);
  tabs_row_ = line();
  tabs_row_->setSpacing(4);
  another_ = new QToolButton;
  another_->setText("+");
  another_->setObjectName("add_film");
  another_->setAccessibleName(tr("Another film"));
  another_->setToolTip(tr("A film of the same pass: each frame is developed once for all of them"));
  connect(another_, &QToolButton::clicked, this, &ExportDrawer::add_film);
  tabs_row_->addWidget(another_);
  tabs_row_->addStretch(1);
  pages_ = new QStackedWidget;
  frames_ = new FramesPage(session_);
  film_ = new FilmPage(session_);
  pages_->addWidget(frames_);
  pages_->addWidget(film_);
  column_->addWidget(pages_);
  connect(film_, &FilmPage::removed, this, [this] { open_page(page_ - 1); });
  add_end();
  column_->addStretch(1);
}

void ExportDrawer::add_end() {
  column_->addSpacing(6);
  // Above the words, whose length changes: a button that moves away under the mouse is not pressed.
  auto* row = line();
  export_ = button(tr("Export"), "primary",
                   tr("Develop every frame at full quality, behind what the queue has (Ctrl+E)"));
  queue_ = button(tr("Queue"), "show_queue", tr("What is exported now, and what waits (Ctrl+J)"));
  row->addWidget(export_, 3);
  row->addWidget(queue_, 1);
  summary_ = words("body");
  result_ = words("body");
  replace_ = button(tr("Replace what is there"), "replace",
                    tr("Export again over files of the same names"));
  fill_ = button(tr("Make them from their neighbours"), "fill_holes",
                 tr("Frames that cannot be read are set aside and made anew from those beside "
                    "them; then the film goes on"));
  for (auto* b : {replace_, fill_}) {
    column_->addWidget(b);
    b->hide();
  }
  connect(&session_.exports, &Exports::finished, this, [this] {
    if (!session_.exports.running()) room_of_.clear();
  });
  connect(export_, &QPushButton::clicked, this, [this] { start(false); });
  connect(replace_, &QPushButton::clicked, this, [this] { start(true); });
  connect(fill_, &QPushButton::clicked, this, [this] { session_.exports.fill_holes(); });
  connect(queue_, &QPushButton::clicked, this, &ExportDrawer::queue_wanted);
}

void ExportDrawer::show_made() {
  if (!session_.document.is_open()) return;
  const Decisions& d = session_.document.decisions();
  open_page(d.makes_frames || d.films.empty() ? 0 : 1);
}

void ExportDrawer::start(bool overwrite) {
  session_.exports.start(overwrite);
  refresh();
}

void ExportDrawer::add_film() {
  const auto films = session_.document.decisions().films.size();
  session_.document.edit(tr("Add a film"), [](Shoot& s) {
    auto& all = s.decisions.films;
    FilmSettings film = all.empty() ? FilmSettings() : all.back();
    film.file.clear();
    film.poster = -1;
    // The second is a smaller one: that is what it is wanted for.
    if (!all.empty()) film.pixels = {{1920, 1080}, 0};
    // Who begins with a film wants no frames, unless they said so.
    if (all.empty() && s.decisions.output == ExportSettings()) s.decisions.makes_frames = false;
    all.push_back(film);
  });
  open_page(static_cast<int>(films) + 1);
}

void ExportDrawer::open_page(int page) {
  page_ = page;
  film_->set_film(page - 1);
  pages_->setCurrentIndex(page == 0 ? 0 : 1);
  // Only the page on top decides how high the drawer is.
  for (int i = 0; i < pages_->count(); ++i)
    pages_->widget(i)->setSizePolicy(QSizePolicy::Preferred, i == pages_->currentIndex()
                                                                 ? QSizePolicy::Preferred
                                                                 : QSizePolicy::Ignored);
  pages_->adjustSize();
  refresh();
}

void ExportDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const Shoot& s = session_.document.shoot();
  // Undo may have taken the film away.
  if (page_ > std::ssize(s.decisions.films))
    return open_page(static_cast<int>(s.decisions.films.size()));
  show_tabs(s);
  if (page_ == 0)
    frames_->show_settings(s);
  else
    film_->show_settings(s);
  show_summary(s);
  show_result();
}

void ExportDrawer::show_tabs(const Shoot& s) {
  const auto count = s.decisions.films.size() + 1;
  while (tabs_.size() > count) {
    tabs_.back()->deleteLater();
    tabs_.pop_back();
  }
  while (tabs_.size() < count) {
    auto* tab = new QToolButton;
    const int index = static_cast<int>(tabs_.size());
    tab->setCheckable(true);
    tab->setObjectName(QString("export_page_%1").arg(index));
    connect(tab, &QToolButton::clicked, this, [this, index] { open_page(index); });
    tabs_row_->insertWidget(index, tab);
    tabs_.push_back(tab);
  }
  for (std::size_t i = 0; i < count; ++i) {
    QString text = tr("Frames");
    if (i > 0) text = count == 2 ? tr("Film") : tr("Film %1").arg(i);
    tabs_[i]->setText(text);
    tabs_[i]->setChecked(static_cast<int>(i) == page_);
    // A line below what is made.
    const bool made = i > 0 || s.decisions.makes_frames;
    if (tabs_[i]->property("changed").toBool() != made) {
      tabs_[i]->setProperty("changed", made);
      tabs_[i]->style()->unpolish(tabs_[i]);  // looks at it anew
      tabs_[i]->style()->polish(tabs_[i]);
    }
  }
  another_->setText(count == 1 ? tr("+ Film") : "+");
  constexpr std::size_t kMost = 4;
  another_->setEnabled(count <= kMost);
}

// Apart from the window's thread: a disk that does not answer would hold it.
void ExportDrawer::look_for_room(const std::string& folder) {
  if (folder == room_of_ || is_running(looking_)) return;
  looking_ = session_.tasks.start(
      tr("Free space"),
      [this, folder](const Work&) -> TaskList::Finish {
        return [this, folder, room = free_space(folder)] {
          room_of_ = folder;
          room_ = room;
          if (isVisible()) refresh();
        };
      },
      false);
}

// A few frames of them are made, apart from the window's thread, whenever decisions have rested.
void ExportDrawer::weigh_gifs(const Shoot& s, const ExportJob& job) {
  std::vector<FilmSettings> gifs;
  std::ranges::copy_if(job.films, std::back_inserter(gifs),
                       [](const FilmSettings& f) { return f.codec == Codec::gif; });
  if (gifs.empty()) gif_bytes_ = -1;
  const quint64 version = session_.version();
  if (gifs.empty() || version == weighed_ || is_running(weighing_)) return;
  weighing_ = session_.tasks.start(
      tr("Weighing the GIF"),
      [this, version, gifs, shoot = s,
       light = session_.light.plan()](const Work&) -> TaskList::Finish {
        ProxyStore store(shoot.sequence.folder);
        double bytes = 0;
        for (const FilmSettings& f : gifs)
          bytes += estimate_gif(shoot, light, f, store).value_or(0);
        return [this, version, bytes] {
          weighed_ = version;
          gif_bytes_ = bytes;
          if (isVisible()) refresh();
        };
      },
      false);
}

QString ExportDrawer::room_words(const Shoot& s, const ExportJob& job) {
  const int frames = film_length(s);
  weigh_gifs(s, job);
  const double bytes = needed(s, job, frames, gif_bytes_);
  const std::string folder =
      !job.frames.empty() ? job.frames.front().folder
                          : std::filesystem::path(job.films.front().file).parent_path().string();
  look_for_room(folder);
  const auto there = folder == room_of_ ? room_ : std::nullopt;
  QString text = there ? tr("About %1; %2 are free there.").arg(amount(bytes), amount(*there))
                       : tr("About %1.").arg(amount(bytes));
  if (there && bytes > *there) text = attention(text);
  const double seconds = session_.exports.queue().estimated(job, frames);
  return seconds < 0 ? text : text + tr(" About %1, as the last ones went.").arg(duration(seconds));
}

void ExportDrawer::show_summary(const Shoot& s) {
  const ExportJob job = with_places(job_of(s.decisions), s);
  const int frames = film_length(s);
  const QString what = what_of(job, frames);
  bool good = !what.isEmpty();
  for (const auto& f : job.frames)
    good = good && check_pattern(f.pattern, f.first_number + frames - 1);
  summary_->setText(what.isEmpty() ? tr("Nothing is made: choose frames or a film.")
                                   : room_words(s, job));
  const bool exporting = session_.exports.running();
  export_->setEnabled(good && !exporting);
  export_->setText(exporting ? tr("Exporting …") : tr("Export %1").arg(what));
  const auto unfinished = std::ranges::count_if(session_.exports.queue().jobs(),
                                                [](const QueuedJob& j) { return !j.ended(); });
  queue_->setText(unfinished > 0 ? tr("Queue, %1").arg(unfinished) : tr("Queue"));
}

void ExportDrawer::show_result() {
  const auto& last = session_.exports.last();
  // Merged frames have their place in Stack.
  const bool ended = last && !last->job.merged && !session_.exports.running();
  replace_->setVisible(ended && last->in_the_way);
  fill_->setVisible(ended && !last->lacking.empty());
  if (!ended) return result_->setText({});
  fill_->setText(last->lacking.size() == 1 ? tr("Make it from its neighbours")
                                           : tr("Make them from their neighbours"));
  if (last->state == JobState::failed)
    return result_->setText(attention(QString::fromStdString(last->problem)));
  if (last->state == JobState::cancelled)
    return result_->setText(
        tr("Cancelled. What is finished stays; the same export goes on from "
           "there."));
  QString text = tr("%1 frames made").arg(last->written);
  if (last->kept) text += tr(", %1 were there already").arg(last->kept);
  result_->setText(text + ".");
}

}  // namespace tsukimi::app
