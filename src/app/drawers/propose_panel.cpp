// SPDX-License-Identifier: GPL-3.0-or-later
#include <QHBoxLayout>

#include "app/convert/value_text.h"
#include "app/drawers/panels.h"

namespace tsukimi::app {

QPushButton* Panel::add_end(const QString& text, const QString& name) {
  auto* row = new QHBoxLayout;
  row->setSpacing(5);
  auto* not_now = button(tr("Not now"), "not_now", tr("Back; nothing is changed"));
  auto* go = button(text, name, "");
  row->addWidget(not_now);
  row->addWidget(go, 1);
  column_->addLayout(row);
  connect(not_now, &QPushButton::clicked, this, &Panel::done);
  return go;
}

void Panel::add_sharing(QWidget* widget, int least, int stretch) {
  widget->setMinimumHeight(least);
  // What it would like to have does not count: the panel is as high as the window allows.
  widget->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored);
  column_->addWidget(widget, stretch);
}

ProposePanel::ProposePanel(Session& session) : Panel(tr("Propose key frames"), session) {
  words()->setText(
      tr("At both ends, where lamps begin to show, and where the light bends. A click goes there; "
         "what "
         "is not ticked is not made."));
  most_ = new Ruler({"proposed_most", tr("Key frames, at most"), "",
                     tr("How many there may be, with those that are there"), KeyWork::kFewest,
                     KeyWork::kMost, 6, 1, 0});
  column_->addWidget(most_);
  there_ = words();
  list_ = list("proposed", 260);
  none_ = words();
  column_->addStretch(1);
  make_ = add_end(tr("Make key frames"), "make_keys");
  connect(most_, &Ruler::edited, this,
          [this](double v) { session_.keys.propose(static_cast<int>(v)); });
  connect(&session_.keys, &KeyWork::proposal_changed, this, [this] {
    if (isVisible()) refresh();
  });
  connect(list_, &QListWidget::currentRowChanged, this, [this](int row) {
    if (row >= 0) session_.playhead.set_frame(list_->item(row)->data(Qt::UserRole).toInt());
  });
  connect(list_, &QListWidget::itemChanged, this, [this] { make_->setEnabled(!ticked().empty()); });
  connect(make_, &QPushButton::clicked, this, [this] {
    session_.keys.accept(ticked());
    emit done();
  });
}

void ProposePanel::showEvent(QShowEvent*) {
  session_.keys.propose(static_cast<int>(most_->value()));
  refresh();
}

std::vector<int> ProposePanel::ticked() const {
  std::vector<int> out;
  for (int i = 0; i < list_->count(); ++i)
    if (list_->item(i)->checkState() == Qt::Checked)
      out.push_back(list_->item(i)->data(Qt::UserRole).toInt());
  return out;
}

void ProposePanel::refresh() {
  if (!session_.document.is_open()) return;
  const auto& proposed = session_.keys.proposed();
  const auto keys = key_places(session_.document.shoot()).size();
  there_->setVisible(keys > 0);
  there_->setText(keys == 1 ? tr("One is there; it stays and is counted.")
                            : tr("%1 are there; they stay and are counted.").arg(keys));
  none_->setVisible(proposed.empty());
  none_->setText(!session_.light.known()   ? light_words()
                 : session_.keys.looking() ? tr("The light of the frames is being looked at.")
                                           : tr("The key frames that are there are enough."));
  std::vector<int> shown;
  for (int i = 0; i < list_->count(); ++i)
    shown.push_back(list_->item(i)->data(Qt::UserRole).toInt());
  std::vector<int> wanted;
  for (const ProposedKey& key : proposed) wanted.push_back(key.frame);
  if (shown != wanted) {
    list_->clear();
    for (const ProposedKey& key : proposed) {
      auto* item = new QListWidgetItem(
          QString("%1   %2").arg(frame_number(key.frame), words_of(tsukimi::words_of(key.why))),
          list_);
      item->setData(Qt::UserRole, key.frame);
      item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
      item->setCheckState(Qt::Checked);
    }
  }
  make_->setEnabled(!ticked().empty());
}

}  // namespace tsukimi::app
