// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/shortcuts_dialog.h"

#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QScrollArea>
#include <QVBoxLayout>

namespace tsukimi::app {
namespace {

// What no menu can say by itself: things that are done with the mouse, or held.
std::vector<std::pair<QString, QString>> others() {
  using Dialog = ShortcutsDialog;
  return {
      {Dialog::tr("B, held"), Dialog::tr("The picture as shot")},
      {Dialog::tr("Wheel on the picture"), Dialog::tr("Larger and smaller at the pointer")},
      {Dialog::tr("Middle button"), Dialog::tr("Moves a picture that is larger than its view")},
      {Dialog::tr("Wheel on the timeline"), Dialog::tr("Longer and shorter stretches of time")},
      {Dialog::tr("Double click on the timeline"), Dialog::tr("All of the shoot")},
      {Dialog::tr("Drag on a ruler"), Dialog::tr("Its value; with Shift finely")},
      {Dialog::tr("Double click on a ruler"), Dialog::tr("Resets its value")},
      {Dialog::tr("Right click on a ruler"), Dialog::tr("Reset, carry, even out, copy")},
      {Dialog::tr("Right click on a key frame"), Dialog::tr("Its easing")},
      {Dialog::tr("Escape"), Dialog::tr("Leaves the whole screen")},
  };
}

}  // namespace

ShortcutsDialog::ShortcutsDialog(const QMenuBar& menus, QWidget* parent) : QDialog(parent) {
  setObjectName("shortcuts");
  setWindowTitle(tr("Shortcuts"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 16, 18, 16);
  auto* search = new QLineEdit;
  search->setObjectName("search");
  search->setPlaceholderText(tr("Look for a command or a key"));
  search->setAccessibleName(tr("Look for a command or a key"));
  search->setClearButtonEnabled(true);
  column->addWidget(search);
  auto* content = new QWidget;
  content->setObjectName("content");
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setWidget(content);
  auto* both = new QHBoxLayout(content);
  both->setSpacing(36);
  QVBoxLayout* sides[2] = {new QVBoxLayout, new QVBoxLayout};
  for (auto* side : sides) {
    side->setAlignment(Qt::AlignTop);
    both->addLayout(side, 1);
  }
  column->addWidget(scroll, 1);
  int filled[2] = {0, 0};
  auto add_group = [&](const QString& title, const std::vector<std::pair<QString, QString>>& rows) {
    if (rows.empty()) return;
    auto* box = new QWidget;
    auto* lines = new QVBoxLayout(box);
    lines->setContentsMargins(0, 0, 0, 8);
    lines->setSpacing(1);
    auto* heading = new QLabel(title);
    heading->setObjectName("heading");
    lines->addWidget(heading);
    Group group{box, {}};
    for (const auto& [keys, words] : rows) {
      auto* line = new QWidget;
      auto* row = new QHBoxLayout(line);
      row->setContentsMargins(0, 0, 0, 0);
      auto* what = new QLabel(words);
      auto* key = new QLabel(keys);
      key->setObjectName("quiet");
      row->addWidget(what, 1);
      row->addWidget(key);
      lines->addWidget(line);
      group.rows.push_back({line, title + " " + words + " " + keys});
    }
    const int side = filled[0] <= filled[1] ? 0 : 1;  // the shorter one
    sides[side]->addWidget(box);
    filled[side] += static_cast<int>(rows.size()) + 2;
    groups_.push_back(std::move(group));
  };
  for (const QAction* menu : menus.actions()) {
    std::vector<std::pair<QString, QString>> rows;
    for (const QAction* a : menu->menu()->actions())
      if (!a->shortcut().isEmpty()) {
        QStringList keys;
        for (const auto& k : a->shortcuts()) keys << k.toString(QKeySequence::NativeText);
        rows.emplace_back(keys.join(", "), QString(a->text()).remove('&'));
      }
    add_group(QString(menu->text()).remove('&'), rows);
  }
  add_group(tr("Mouse, and keys that are held"), others());
  connect(search, &QLineEdit::textChanged, this, &ShortcutsDialog::look_for);
  search->setFocus();
  resize(820, 660);
}

void ShortcutsDialog::look_for(const QString& text) {
  for (const Group& group : groups_) {
    bool any = false;
    for (const Row& row : group.rows) {
      const bool found = row.words.contains(text.trimmed(), Qt::CaseInsensitive);
      row.widget->setVisible(found);
      any |= found;
    }
    group.widget->setVisible(any);
  }
}

}  // namespace tsukimi::app
