// SPDX-License-Identifier: GPL-3.0-or-later
#include <QHBoxLayout>

#include "app/convert/value_text.h"
#include "app/drawers/panels.h"

namespace tsukimi::app {

void fill_with_parts(QTreeWidget* tree) {
  const QSignalBlocker quiet(tree);
  tree->setHeaderHidden(true);
  tree->setUniformRowHeights(true);
  for (const char* page : look_pages()) {
    auto* top = new QTreeWidgetItem(tree, {words_of(page)});
    top->setFlags(top->flags() | Qt::ItemIsUserCheckable | Qt::ItemIsAutoTristate);
    for (const LookPart& part : look_parts()) {
      if (part.page != page) continue;
      auto* item = new QTreeWidgetItem(top, {words_of(part.label.c_str())});
      item->setData(0, Qt::UserRole, QString::fromStdString(part.name));
      item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
      item->setCheckState(0, Qt::Checked);
    }
  }
}

std::vector<Param> ticked_rows(const QTreeWidget* tree) {
  std::vector<Param> rows;
  for (int i = 0; i < tree->topLevelItemCount(); ++i) {
    const auto* page = tree->topLevelItem(i);
    for (int k = 0; k < page->childCount(); ++k)
      if (page->child(k)->checkState(0) == Qt::Checked) {
        const auto more =
            rows_named(page->child(k)->data(0, Qt::UserRole).toString().toStdString());
        rows.insert(rows.end(), more.begin(), more.end());
      }
  }
  return rows;
}

CarryPanel::CarryPanel(Session& session, Preview& preview)
    : Panel(tr("Carry"), session), preview_(preview) {
  column_->setSpacing(5);
  of_ = words();
  auto* here =
      button(tr("Take the look of this frame"), "carry_from_here", tr("What is to be carried"));
  column_->addWidget(here);
  parts_ = new QTreeWidget;
  parts_->setObjectName("carry_parts");
  parts_->setAccessibleName(tr("What is carried"));
  fill_with_parts(parts_);
  add_sharing(parts_, 110, 4);
  heading(tr("Onto"));
  auto* choose = new QHBoxLayout;
  choose->setSpacing(3);
  auto target = [&](const QString& text, const char* name, const QString& tip, auto run) {
    auto* b = button(text, name, tip);
    b->setStyleSheet("padding: 3px 2px");
    choose->addWidget(b);
    connect(b, &QPushButton::clicked, this, run);
  };
  target(tr("All"), "carry_all", tr("All key frames"), [this] { tick_targets(CarryTo::all); });
  target(tr("Before"), "carry_before", tr("Key frames before the one that is copied"),
         [this] { tick_targets(CarryTo::before); });
  target(tr("After"), "carry_after", tr("Key frames after the one that is copied"),
         [this] { tick_targets(CarryTo::after); });
  column_->addLayout(choose);
  onto_ = new QListWidget;
  onto_->setObjectName("carry_onto");
  onto_->setAccessibleName(tr("Onto which key frames"));
  onto_->setIconSize({48, 30});
  add_sharing(onto_, 84, 3);
  count_ = words();
  changes_ = new QListWidget;
  changes_->setObjectName("carry_changes");
  changes_->setAccessibleName(tr("What will change"));
  changes_->setUniformItemSizes(true);
  add_sharing(changes_, 80, 4);
  carry_ = add_end(tr("Carry"), "carry_now");
  connect(here, &QPushButton::clicked, this, [this] {
    session_.look.copy();
    filled_for_.clear();
    refresh();
  });
  connect(parts_, &QTreeWidget::itemChanged, this, &CarryPanel::show_changes);
  connect(onto_, &QListWidget::itemChanged, this, &CarryPanel::show_changes);
  connect(onto_, &QListWidget::currentRowChanged, this, [this](int row) {
    if (row >= 0) session_.playhead.set_frame(onto_->item(row)->data(Qt::UserRole).toInt());
  });
  connect(carry_, &QPushButton::clicked, this, [this] {
    session_.look.carry(*session_.look.copied(), ticked_rows(parts_), targets());
    emit done();
  });
  connect(&preview_, &Preview::ready, this, [this](int frame) {
    for (int i = 0; isVisible() && i < onto_->count(); ++i)
      if (QListWidgetItem* item = onto_->item(i); item->data(Qt::UserRole).toInt() == frame) {
        const QSignalBlocker quiet(onto_);
        item->setIcon(QPixmap::fromImage(preview_.get(frame, Rendering::thumbnail).image));
      }
  });
}

void CarryPanel::showEvent(QShowEvent*) {
  if (!session_.document.is_open()) return;
  if (!session_.look.has_copied()) session_.look.copy();
  filled_for_.clear();
  refresh();
}

// Key frames, and the frame that is looked at where it has none: all but the copied one.
void CarryPanel::fill_targets() {
  const QSignalBlocker quiet(onto_);
  auto frames =
      carry_targets(session_.document.shoot(), session_.look.copied_frame(), CarryTo::all);
  if (const int here = session_.playhead.frame();
      here != session_.look.copied_frame() && !has_key(session_.document.shoot(), here))
    frames.insert(std::ranges::lower_bound(frames, here), here);
  if (frames == filled_for_) return;
  const auto before = targets();
  const bool first = filled_for_.empty();
  filled_for_ = frames;
  onto_->clear();
  for (int frame : frames) {
    const auto& facts = session_.document.shoot().sequence.frames[static_cast<std::size_t>(frame)];
    const bool key = has_key(session_.document.shoot(), frame);
    auto* item = new QListWidgetItem(
        QString("%1 · %2%3")
            .arg(frame_number(frame), QString::fromStdString(format_clock(facts.time)),
                 key ? "" : tr(" · becomes one")),
        onto_);
    item->setData(Qt::UserRole, frame);
    item->setIcon(QPixmap::fromImage(preview_.get(frame, Rendering::thumbnail).image));
    item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
    const bool ticked = first ? key : std::ranges::find(before, frame) != before.end();
    item->setCheckState(ticked ? Qt::Checked : Qt::Unchecked);
  }
}

void CarryPanel::tick_targets(CarryTo to) {
  {
    const QSignalBlocker quiet(onto_);
    const auto wanted = carry_targets(session_.document.shoot(), session_.look.copied_frame(), to);
    for (int i = 0; i < onto_->count(); ++i) {
      const int frame = onto_->item(i)->data(Qt::UserRole).toInt();
      onto_->item(i)->setCheckState(
          std::ranges::find(wanted, frame) != wanted.end() ? Qt::Checked : Qt::Unchecked);
    }
  }
  show_changes();
}

std::vector<int> CarryPanel::targets() const {
  std::vector<int> out;
  for (int i = 0; i < onto_->count(); ++i)
    if (onto_->item(i)->checkState() == Qt::Checked)
      out.push_back(onto_->item(i)->data(Qt::UserRole).toInt());
  return out;
}

void CarryPanel::show_changes() {
  changes_->clear();
  const Values* look = session_.look.copied();
  if (!look) return;
  const auto changes =
      carry_changes(session_.document.shoot(), *look, ticked_rows(parts_), targets());
  for (const CarryChange& c : changes)
    changes_->addItem(QString("%1  %2  %3 → %4")
                          .arg(frame_number(c.frame), label_of(c.param),
                               number_text(c.from, info(c.param).decimals, info(c.param).min < 0),
                               value_text(c.param, c.to)));
  count_->setText(targets().empty() ? tr("Tick the key frames that it is carried to.")
                  : changes.empty() ? tr("Nothing would change: they are like that already.")
                                    : tr("%1 values will change:").arg(changes.size()));
  carry_->setEnabled(!changes.empty());
}

void CarryPanel::refresh() {
  if (!session_.document.is_open() || !session_.look.has_copied()) return;
  of_->setText(
      tr("The look of frame %1: what is ticked is carried.").arg(session_.look.copied_frame() + 1));
  fill_targets();
  show_changes();
}

}  // namespace tsukimi::app
