// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/start/start_page.h"

#include <QHBoxLayout>
#include <QScrollArea>
#include <QSvgWidget>

#include "app/widgets/style.h"
#include "sim/demo.h"

namespace tsukimi::app {

StartPage::StartPage(TaskList& tasks, Recent& recent, QWidget* parent)
    : QWidget(parent), tasks_(tasks), recent_(recent) {
  setObjectName("start_page");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);

  auto* begin = new QWidget;
  begin->setObjectName("begin");
  begin->setFixedWidth(380);
  auto* column = new QVBoxLayout(begin);
  column->setContentsMargins(56, 0, 44, 0);
  column->setSpacing(10);
  auto label = [&](const QString& text, const char* name) {
    auto* l = new QLabel(text);
    l->setObjectName(name);
    l->setWordWrap(true);
    column->addWidget(l);
    return l;
  };
  auto button = [&](const QString& text, const char* name, const QString& tip) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setToolTip(tip);
    b->setMinimumHeight(38);
    column->addWidget(b);
    return b;
  };
  column->addStretch(3);
  auto* sign = new QSvgWidget(QString(":/icons/app.svg"));
  sign->setFixedSize(56, 56);
  column->addWidget(sign);
  label("Tsukimi", "start_name");
  label(tr("From interval shots to one even film."), "quiet");
  column->addSpacing(14);
  connect(button(tr("Open a folder of frames"), "start_open",
                 tr("Raw files, JPEG, TIFF or PNG (Ctrl+O)")),
          &QPushButton::clicked, this, &StartPage::open_folder);
  connect(button(tr("Bring in from a card"), "start_bring_in",
                 tr("Copies sequences from a camera's card, each file checked (Ctrl+I)")),
          &QPushButton::clicked, this, &StartPage::bring_in);
  demos_[0] =
      button("", "start_demo",
             tr("A harbour from afternoon into night, 180 frames, shot by a simulated camera"));
  auto* more = new QHBoxLayout;
  more->setSpacing(8);
  column->addLayout(more);
  const std::pair<const char*, QString> others[] = {
      {"start_night", tr("The harbour at night: stars that turn, 90 frames")},
      {"start_dawn", tr("The harbour at dawn: 25 moments of three exposures")}};
  for (int i = 0; i < 2; ++i) {
    auto* b = demos_[i + 1] = new QPushButton;
    b->setObjectName(others[i].first);
    b->setToolTip(others[i].second);
    b->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    more->addWidget(b);
  }
  for (int i = 0; i < 3; ++i)
    connect(demos_[i], &QPushButton::clicked, this, [this, i] { make_demo(sim::Demo(i)); });
  bar_ = new QProgressBar;
  bar_->setTextVisible(false);
  bar_->setRange(0, 100);
  auto keeps_its_place = bar_->sizePolicy();
  keeps_its_place.setRetainSizeWhenHidden(true);
  bar_->setSizePolicy(keeps_its_place);
  column->addWidget(bar_);
  words_ = label("", "quiet");
  words_->setAlignment(Qt::AlignTop);
  words_->setMinimumHeight(2 * fontMetrics().lineSpacing());
  column->addStretch(4);
  row->addWidget(begin);

  auto* list = new RecentList(recent);
  auto* scroll = new QScrollArea;
  scroll->setObjectName("recent_scroll");
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  scroll->setWidget(list);
  row->addWidget(scroll, 1);
  connect(list, &RecentList::chosen, this, &StartPage::open);

  poll_.setInterval(120);
  connect(&poll_, &QTimer::timeout, this, &StartPage::show_making);
  connect(&tasks_, &TaskList::changed, this, &StartPage::show_making);
  show_making();
}

// What is there already is only opened. A second press stops the making.
void StartPage::make_demo(sim::Demo demo) {
  if (is_running(making_)) {
    making_->cancelled = true;
    return;
  }
  made_ = demo;
  making_ = tasks_.start(
      tr("Making the demo"),
      [this, demo](const Work& work) -> TaskList::Finish {
        const auto made = sim::make_demo(sim::demo_folder(), work, demo);
        if (!made && work.stop()) return {};
        if (!made) throw std::runtime_error(made.error().message);
        return [this, file = *made] { emit open(file); };
      },
      false);
  show_making();
}

void StartPage::show_making() {
  const bool busy = is_running(making_);
  const QString names[3] = {tr("Open the demo shoot"), tr("A night of stars"),
                            tr("A dawn in brackets")};
  for (int i = 0; i < 3; ++i) {
    const bool this_one = busy && made_ == sim::Demo(i);
    demos_[i]->setText(!this_one ? names[i] : i == 0 ? tr("Stop making the demo") : tr("Stop"));
    demos_[i]->setEnabled(!busy || this_one);
  }
  bar_->setVisible(busy);
  busy ? poll_.start() : poll_.stop();
  words_->setText(busy ? tr("Shooting the harbour … ") + making_->time_left()
                       : tr("Or drop a folder onto the window. Originals are only ever read."));
  if (busy) bar_->setValue(making_->done);
}

}  // namespace tsukimi::app
