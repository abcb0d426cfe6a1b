// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bars/facts_bar.h"

#include <QHBoxLayout>

#include "app/convert/path_text.h"
#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {

FactsBar::FactsBar(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("facts");
  setFixedHeight(text_px(34));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(14, 0, 12, 0);
  row->setSpacing(12);
  name_ = new QLabel(this);
  name_->setObjectName("title");
  name_->setTextFormat(Qt::PlainText);
  facts_ = new QLabel(this);
  facts_->setObjectName("quiet");
  work_ = new QLabel(this);
  work_->setObjectName("quiet");
  bar_ = new QProgressBar(this);
  bar_->setObjectName("progress");
  bar_->setTextVisible(false);
  bar_->setFixedWidth(110);
  percent_ = new QLabel(this);
  percent_->setMinimumWidth(34);
  cancel_ = new QToolButton(this);
  cancel_->setText(tr("Cancel"));
  cancel_->setObjectName("cancel_work");
  row->addWidget(name_);
  message_ = new QLabel(this);
  message_->setObjectName("message");
  message_->setTextFormat(Qt::PlainText);
  for (auto* l : {facts_, message_}) {
    l->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);  // cut off, if need be
    row->addWidget(l, 1);
  }
  passing_.setSingleShot(true);
  passing_.setInterval(9000);
  connect(&passing_, &QTimer::timeout, this, [this] { show_message({}); });
  show_message({});
  row->addWidget(work_);
  row->addWidget(bar_);
  row->addWidget(percent_);
  row->addWidget(cancel_);
  queue_ = new QToolButton(this);
  queue_->setObjectName("queue_state");
  queue_->setToolTip(tr("What is exported now, and what waits (Ctrl+J)"));
  row->addWidget(queue_);
  connect(queue_, &QToolButton::clicked, this, &FactsBar::queue_wanted);
  connect(&session_.exports.queue(), &ExportQueue::changed, this, &FactsBar::show_queue);
  connect(&session_.exports.queue(), &ExportQueue::progressed, this, &FactsBar::show_queue);
  connect(&session_.document, &Document::opened, this, &FactsBar::show_facts);
  connect(&session_.document, &Document::changed, this, &FactsBar::show_facts);
  connect(&session_.document, &Document::saved, this, &FactsBar::show_facts);
  connect(&session_.light, &LightWork::changed, this, &FactsBar::show_facts);
  connect(&session_.document.undo(), &QUndoStack::cleanChanged, this, &FactsBar::show_facts);
  connect(&session_.tasks, &TaskList::changed, this, &FactsBar::show_work);
  connect(cancel_, &QToolButton::clicked, this, [this] {
    for (const auto& t : session_.tasks.running())
      if (t->shown) t->cancelled = true;
  });
  poll_.setInterval(120);
  connect(&poll_, &QTimer::timeout, this, &FactsBar::show_work);
  show_facts();
  show_work();
  show_queue();
}

// What is exported, in a word or two; nothing when nothing is.
void FactsBar::show_queue() {
  const ExportQueue& queue = session_.exports.queue();
  const auto& p = queue.progress();
  queue_->setVisible(queue.running() && p);
  if (!queue.running() || !p) return;
  const auto waiting = std::ranges::count_if(
      queue.jobs(), [](const QueuedJob& j) { return j.state == JobState::waiting; });
  QString text =
      p->total > 0 ? tr("Exporting %1 %").arg(100 * p->done / p->total) : tr("Exporting");
  if (waiting > 0) text += tr(", %1 wait").arg(waiting);
  queue_->setText(text);
}

void FactsBar::show_message(const QString& text) {
  message_->setText(text);
  message_->setToolTip(text);
  message_->setVisible(!text.isEmpty());
  facts_->setVisible(text.isEmpty());
  text.isEmpty() ? passing_.stop() : passing_.start();
}

void FactsBar::show_facts() {
  if (!session_.document.is_open()) return;
  const Shoot& s = session_.document.shoot();
  const int left_out =
      static_cast<int>(std::count_if(s.sequence.frames.begin(), s.sequence.frames.end(),
                                     [](const auto& f) { return !f.usable(); }));
  const int count = session_.document.courses().film.count();
  const int kept =
      static_cast<int>(kept_frames_of(s).frames.size() + kept_frames_of(s).replaced.size());
  name_->setText(name_->fontMetrics().elidedText(session_.document.name(), Qt::ElideMiddle, 240) +
                 (session_.document.has_unsaved() ? " •" : ""));
  name_->setToolTip(session_.document.has_unsaved() ? tr("There are changes since the last save.")
                                                    : shown_path(session_.document.file()));
  QString text = (count == kept ? tr("%1 frames → %2 s at %3 fps")
                                : tr("%4 frames → %1 of the film, %2 s at %3 fps"))
                     .arg(count)
                     .arg(count / s.decisions.fps, 0, 'f', 1)
                     .arg(s.decisions.fps);
  if (count != kept) text = text.arg(kept);
  if (s.sequence.interval > 0) text += tr("  ·  every %1 s").arg(s.sequence.interval);
  text += QString("  ·  %1×%2").arg(s.sequence.size.width).arg(s.sequence.size.height);
  if (has_wide_light(s.decisions))
    text += tr("  ·  light above white shown within the screen's range");
  const auto aside = s.decisions.set_aside.size();
  if (aside) text += tr("  ·  %1 aside").arg(aside);
  if (session_.folder.watching()) text += tr("  ·  watching the folder");
  if (left_out)
    text += QString("  ·  <span style='color:#e8836b'>%1 left out</span>").arg(left_out);
  if (const int open = session_.checking.open_suspects())
    text += QString("  ·  <span style='color:#e8836b'>%1 %2</span>")
                .arg(open)
                .arg(open == 1 ? "suspect" : "suspects");
  facts_->setText(text);
}

void FactsBar::show_work() {
  std::shared_ptr<Task> task;
  for (const auto& t : session_.tasks.running())
    if (t->shown) task = t;
  for (auto* w : std::initializer_list<QWidget*>{work_, bar_, percent_, cancel_})
    w->setVisible(task != nullptr);
  task ? poll_.start() : poll_.stop();
  if (!task) return;
  const int total = task->total, done = task->done;
  work_->setText(task->label + (task->time_left().isEmpty() ? "" : "  ·  " + task->time_left()));
  bar_->setRange(0, std::max(total, 0));
  bar_->setValue(done);
  percent_->setText(total > 0 ? QString("%1 %").arg(100 * done / total) : QString());
}

}  // namespace tsukimi::app
