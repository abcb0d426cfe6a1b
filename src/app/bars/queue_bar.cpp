// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bars/queue_bar.h"

#include <QHBoxLayout>
#include <QPushButton>

namespace tsukimi::app {

QueueBar::QueueBar(ExportQueue& queue, QWidget* parent) : QWidget(parent), queue_(queue) {
  setObjectName("restored");
  setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 6, 12, 6);
  row->setSpacing(6);
  words_ = new QLabel;
  words_->setObjectName("queue_left");
  row->addWidget(words_, 1);
  auto* go_on = new QPushButton(tr("Go on"));
  go_on->setObjectName("queue_go_on");
  go_on->setToolTip(tr("Works on them in the background"));
  auto* rest = new QPushButton(tr("Not now"));
  rest->setObjectName("queue_rest");
  rest->setToolTip(tr("They stay in the queue"));
  row->addWidget(go_on);
  row->addWidget(rest);
  connect(go_on, &QPushButton::clicked, this, [this] {
    queue_.start();
    hide();
  });
  connect(rest, &QPushButton::clicked, this, [this] {
    queue_.pause_all();
    hide();
  });
  // Somebody else may have gone on with it.
  connect(&queue_, &ExportQueue::changed, this, [this] {
    if (queue_.running() || queue_.idle()) hide();
    if (queue_.interrupted() && std::exchange(ran_, false)) offer();
    ran_ = ran_ || queue_.running();
  });
  offer();
}

void QueueBar::offer() {
  const auto left = std::ranges::count_if(
      queue_.jobs(), [](const QueuedJob& j) { return j.state == JobState::waiting; });
  setVisible(left > 0 && !queue_.running());
  words_->setText(left == 1
                      ? tr("An export was not finished. It goes on where it was.")
                      : tr("%1 exports were not finished. They go on where they were.").arg(left));
}

}  // namespace tsukimi::app
