// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bars/restored_bar.h"

#include <QHBoxLayout>

namespace tsukimi::app {

RestoredBar::RestoredBar(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("restored");
  setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 6, 12, 6);
  row->setSpacing(6);
  words_ = new QLabel;
  row->addWidget(words_, 1);
  auto add = [&](const QString& text, const QString& name, const QString& tip) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setToolTip(tip);
    row->addWidget(b);
    return b;
  };
  restored_ = add(tr("Restored work"), "show_restored", tr("As it was when the program ended"));
  saved_ = add(tr("As saved"), "show_saved", tr("As the file has it, without that work"));
  keep_ =
      add(tr("Keep this"), "keep_version", tr("What is seen now stays; the other one is let go"));
  for (auto* b : {restored_, saved_}) b->setCheckable(true);
  hide();
  connect(&session_.opener, &Opener::restored, this, &RestoredBar::offer);
  QUndoStack& undo = session_.document.undo();
  connect(&undo, &QUndoStack::indexChanged, this, &RestoredBar::follow);
  connect(&session_.document, &Document::opened, this, [this] {
    if (session_.document.undo().count() == 0) end();  // another shoot
  });
  connect(restored_, &QPushButton::clicked, this, [this, &undo] {
    undo.setIndex(1);
    follow();
  });
  connect(saved_, &QPushButton::clicked, this, [this, &undo] {
    undo.setIndex(0);
    follow();
  });
  connect(keep_, &QPushButton::clicked, this, [this, &undo] {
    if (undo.index() == 0) session_.document.forget_unsaved();
    end();
  });
}

void RestoredBar::offer() {
  words_->setText(session_.document.file().empty()
                      ? tr("The program ended with work that was not saved. It is here again.")
                      : tr("The program ended with work that was newer than the saved shoot. It is "
                           "here again."));
  saved_->setText(session_.document.file().empty() ? tr("Without it") : tr("As saved"));
  asking_ = true;
  show();
  follow();
}

void RestoredBar::set_covered(bool covered) { setVisible(asking_ && !covered); }

void RestoredBar::end() {
  asking_ = false;
  hide();
}

void RestoredBar::follow() {
  const QUndoStack& undo = session_.document.undo();
  if (asking_ && undo.index() > 1) return end();
  restored_->setChecked(undo.index() == 1);
  saved_->setChecked(undo.index() == 0);
}

}  // namespace tsukimi::app
