// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/key_row.h"

#include <QHBoxLayout>

#include "app/widgets/style.h"

namespace tsukimi::app {

KeyRow::KeyRow(Session& session, const QString& of, const QString& tip, QWidget* parent)
    : QWidget(parent), session_(session) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  auto button = [&](const QString& name, const QString& text) {
    auto* b = new QPushButton;
    b->setObjectName(name + of);
    b->setToolTip(text);
    row->addWidget(b);
    return b;
  };
  auto turn = [&](const QString& name, const QString& words, const QString& key, const char* icon) {
    auto* b = button(name, QString("%1 (%2)").arg(words, key));
    b->setIcon(family_icon(icon));
    b->setAccessibleName(words);
    b->setFixedWidth(34);
    return b;
  };
  previous_ = turn("previous_", tr("Key frame before this"), tr("Page up"), "key_before");
  key_ = button("toggle_", tip);
  next_ = turn("next_", tr("Key frame after this"), tr("Page down"), "key_after");
  row->setStretchFactor(key_, 1);
  connect(previous_, &QPushButton::clicked, this, [this] { session_.keys.go(-1); });
  connect(next_, &QPushButton::clicked, this, [this] { session_.keys.go(1); });
  connect(key_, &QPushButton::clicked, &session_.keys, &KeyWork::toggle);
}

void KeyRow::refresh(bool keeps_last) {
  const auto keys = session_.keys.frames();
  const int frame = session_.playhead.frame();
  const bool here = session_.keys.has(frame);
  key_->setText(here ? tr("Remove key frame") : tr("Make key frame"));
  key_->setEnabled(!here || !keeps_last || keys.size() > 1);
  previous_->setEnabled(!keys.empty() && keys.front() < frame);
  next_->setEnabled(!keys.empty() && keys.back() > frame);
}

}  // namespace tsukimi::app
