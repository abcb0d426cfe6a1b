#include "app/dialogs/shortcuts_dialog.h"

#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QScrollArea>
#include <QVBoxLayout>

namespace tsukimi::app {
namespace {

// What no menu can say by itself: things that are done with the mouse, or held.
const char* const kOthers[][2] = {
    {"B, held", "The picture as shot"},
    {"Wheel on the picture", "Larger and smaller at the pointer"},
    {"Middle button", "Moves a picture that is larger than its view"},
    {"Wheel on the timeline", "Longer and shorter stretches of time"},
    {"Double click on the timeline", "All of the shoot"},
    {"Drag on a ruler", "Its value; with Shift finely"},
    {"Double click on a ruler", "Resets its value"},
    {"Right click on a ruler", "Reset, carry, even out, copy"},
    {"Right click on a key frame", "Its easing"},
    {"Escape", "Leaves the whole screen"},
};

}  // namespace

ShortcutsDialog::ShortcutsDialog(const QMenuBar& menus, QWidget* parent) : QDialog(parent) {
  setObjectName("shortcuts");
  setWindowTitle("Shortcuts");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 16, 18, 16);
  auto* search = new QLineEdit;
  search->setObjectName("search");
  search->setPlaceholderText("Look for a command or a key");
  search->setAccessibleName("Look for a command or a key");
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
  std::vector<std::pair<QString, QString>> others;
  for (const auto& [keys, words] : kOthers) others.emplace_back(keys, words);
  add_group("Mouse, and keys that are held", others);
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
