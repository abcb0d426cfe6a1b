// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/bring_in_dialog.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/convert/path_text.h"
#include "app/dialogs/dialog_button.h"
#include "folder/mounted.h"
#include "sim/demo.h"

namespace tsukimi::app {
namespace fs = std::filesystem;
namespace {

QString megabytes(std::uintmax_t bytes) {
  return bytes >= 10'000'000'000
             ? QObject::tr("%1 GB").arg(static_cast<double>(bytes) / 1e9, 0, 'f', 1)
             : QObject::tr("%1 MB").arg(bytes / 1'000'000);
}

// Several sequences get folders of their own.
fs::path folder_of(const fs::path& to, int part, std::size_t chosen) {
  return chosen == 1 ? to : to / ("sequence_" + std::to_string(part + 1));
}

struct Brought {
  std::vector<fs::path> folders;  // whole sequences
  QString words;
  bool good = true;
};

}  // namespace

BringInDialog::BringInDialog(double fps, QWidget* parent) : QDialog(parent), fps_(fps) {
  setObjectName("bring_in");
  setWindowTitle(tr("Bring in"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(760, 600);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 16, 18, 16);
  column->setSpacing(10);
  auto label = [&](const char* name) {
    auto* l = new QLabel;
    l->setObjectName(name);
    l->setWordWrap(true);
    column->addWidget(l);
    return l;
  };
  auto* head = new QHBoxLayout;
  title_ = new QLabel(tr("Choose a card"));
  title_->setObjectName("title");
  head->addWidget(title_, 1);
  connect(add_button(head, tr("Card …"), "choose_card",
                     tr("The camera's card, or any folder with pictures below it")),
          &QPushButton::clicked, this, &BringInDialog::ask_card);
  column->addLayout(head);
  offers_ = new QHBoxLayout;
  offers_->setSpacing(6);
  column->addLayout(offers_);
  notes_ = label("quiet");
  list_ = new SequenceList(true);
  column->addWidget(list_, 1);
  auto* where = new QHBoxLayout;
  where->addWidget(new QLabel(tr("Into")));
  folder_ = new QLineEdit;
  folder_->setObjectName("to");
  folder_->setAccessibleName(tr("Folder for the copies"));
  folder_->setPlaceholderText(tr("a folder with a name of your own"));
  where->addWidget(folder_, 1);
  connect(add_button(where, tr("Folder …"), "choose_folder", tr("Where the copies go")),
          &QPushButton::clicked, this, &BringInDialog::ask_folder);
  column->addLayout(where);
  summary_ = label("quiet");
  bar_ = new QProgressBar;
  bar_->setTextVisible(false);
  column->addWidget(bar_);
  result_ = label("result");
  auto* row = new QHBoxLayout;
  row->addStretch(1);
  cancel_ = add_button(row, tr("Close"), "close", tr("Stop copying, or close"));
  start_ = add_button(row, tr("Bring in"), "primary",
                      tr("Copy and check what is ticked; the card is only read"));
  column->addLayout(row);
  connect(list_, &SequenceList::changed, this, &BringInDialog::refresh);
  connect(folder_, &QLineEdit::textChanged, this, &BringInDialog::refresh);
  connect(start_, &QPushButton::clicked, this, &BringInDialog::start);
  connect(cancel_, &QPushButton::clicked, this, [this] {
    if (copying_)
      copying_->cancelled = true;
    else
      close();
  });
  look_.setInterval(2000);
  connect(&look_, &QTimer::timeout, this, &BringInDialog::look_for_cards);
  look_.start();
  look_for_cards();
  poll_.setInterval(120);
  connect(&poll_, &QTimer::timeout, this, &BringInDialog::refresh);
  refresh();
}

void BringInDialog::ask_card() {
  const QUrl dir = QFileDialog::getExistingDirectoryUrl(this, tr("The camera's card"));
  if (!dir.isEmpty()) read(path_of(dir));
}

void BringInDialog::look_for_cards() {
  if (copying_ || !tasks_.idle()) return;
  tasks_.start(
      tr("Looking for cards"),
      [this](const Work&) -> TaskList::Finish {
        auto cards = mounted_cards();
        std::error_code ec;
        const fs::path demo = sim::demo_card(sim::demo_folder());
        if (fs::is_directory(demo, ec)) cards.push_back(demo);
        return [this, cards] { offer(cards); };
      },
      false, [](const Error&) {});
}

void BringInDialog::offer(const std::vector<fs::path>& cards) {
  if (std::exchange(looked_, true) && cards == offered_) return;
  offered_ = cards;
  while (auto* item = offers_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  for (const fs::path& card : cards) {
    const bool demo = card == sim::demo_card(sim::demo_folder());
    auto* b = add_button(offers_, demo ? tr("The demo's card") : shown_path(card.filename()),
                         "card", shown_path(card));
    connect(b, &QPushButton::clicked, this, [this, card] { read(card); });
  }
  offers_->addStretch(1);
  refresh();
}

void BringInDialog::ask_folder() {
  const QUrl dir = QFileDialog::getExistingDirectoryUrl(this, tr("Where the copies go"),
                                                        url_of(path_of(folder_->text())));
  if (!dir.isEmpty()) folder_->setText(text_of(path_of(dir)));
}

void BringInDialog::read(const fs::path& path) {
  title_->setText(tr("Reading ") + shown_path(path) + " …");
  result_->clear();
  tasks_.start(tr("Reading"), [this, path](const Work& work) -> TaskList::Finish {
    auto card = std::make_shared<Result<Card>>(read_card(path, Pairs::raw, work));
    return [this, card, path] {
      if (!*card) {
        title_->setText(tr("Choose a card"));
        result_->setText(QString::fromStdString(card->error().message));
        return;
      }
      card_ = std::make_shared<const Card>(std::move(**card));
      QStringList notes;
      for (const auto& n : card_->scan.notes) notes << QString::fromStdString(n);
      notes_->setText(notes.join("  "));
      title_->setText(tr("%1 pictures on %2").arg(card_->scan.frames.size()).arg(shown_path(path)));
      list_->show_scan(card_->scan, fps_);
      refresh();
    };
  });
}

void BringInDialog::refresh() {
  const auto chosen = card_ ? list_->chosen() : std::vector<int>();
  std::size_t frames = 0;
  std::uintmax_t bytes = 0;
  for (int k : chosen) {
    frames += list_->parts()[k].frames.size();
    bytes += card_->bytes(list_->parts()[k]);
  }
  if (!card_ && looked_)
    notes_->setText(
        offered_.empty()
            ? tr("No card is mounted. Put one in and wait a moment, or choose any folder "
                 "that has pictures below it with Card …")
            : tr("These cards are mounted. Choose one, or any folder with Card …"));
  summary_->setText(
      !card_ ? QString()
      : chosen.empty()
          ? tr("Nothing is ticked.")
          : tr("%1 files, %2, each checked after copying. %3")
                .arg(frames)
                .arg(megabytes(bytes))
                .arg(chosen.size() > 1 ? tr("Every sequence gets a folder of its own.") : ""));
  const bool busy = copying_ != nullptr;
  start_->setEnabled(!busy && !chosen.empty() && !folder_->text().trimmed().isEmpty());
  cancel_->setText(busy ? tr("Stop") : tr("Close"));
  list_->setEnabled(!busy);
  bar_->setVisible(busy);
  busy ? poll_.start() : poll_.stop();
  if (!busy) return;
  bar_->setRange(0, std::max(1, copying_->total.load()));
  bar_->setValue(copying_->done);
  summary_->setText(tr("Copying and checking %1 of %2 %3")
                        .arg(copying_->done.load())
                        .arg(copying_->total.load())
                        .arg(copying_->time_left()));
}

void BringInDialog::start() {
  result_->clear();
  std::vector<std::pair<Part, fs::path>> jobs;
  const auto chosen = list_->chosen();
  int total = 0;
  for (int k : chosen) {
    jobs.emplace_back(list_->parts()[k],
                      folder_of(path_of(folder_->text().trimmed()), k, chosen.size()));
    total += static_cast<int>(jobs.back().first.frames.size());
  }
  copying_ = tasks_.start(
      tr("Copying"), [this, card = card_, jobs, total](const Work& work) -> TaskList::Finish {
        Brought all;
        int before = 0, copied = 0, there = 0;
        for (const auto& [part, to] : jobs) {
          Work mine = work;
          mine.progress = [&](int done, int) { work.report(before + done, total); };
          const auto report = bring_in(*card, part, to, mine);
          if (!report || report->cancelled || !report->problem.empty()) {
            all.good = false;
            all.words = !report ? QString::fromStdString(report.error().message)
                        : report->cancelled
                            ? tr("Stopped. What was copied is whole; bring in again to go on.")
                            : QString::fromStdString(report->problem);
            break;
          }
          before += report->total;
          copied += report->copied;
          there += report->there;
          all.folders.push_back(to);
        }
        if (all.good)
          all.words = tr("%1 files copied and checked%2. The card can be taken out.")
                          .arg(copied)
                          .arg(there ? tr(", %1 were there already").arg(there) : QString());
        return [this, all] {
          copying_.reset();
          result_->setText(all.words);
          result_->setStyleSheet(all.good ? "" : "color: #e8836b");
          refresh();
          if (all.good && !all.folders.empty()) emit brought(all.folders.front());
        };
      });
  refresh();
}

}  // namespace tsukimi::app
