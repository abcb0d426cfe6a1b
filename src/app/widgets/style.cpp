// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/style.h"

#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QScreen>
#include <QStyleFactory>
#include <cmath>

// Resources of a static library are only linked in when asked for, from outside any namespace.
static void init_resources() { Q_INIT_RESOURCE(resources); }

namespace tsukimi::app {

QIcon family_icon(const char* name) {
  QIcon icon(QString(":/icons/%1.svg").arg(name));
  const QPixmap bright = icon.pixmap(QSize(16, 16), 2.0);
  QPixmap faint(bright.size());
  faint.setDevicePixelRatio(bright.devicePixelRatio());
  faint.fill(Qt::transparent);
  QPainter p(&faint);
  p.setOpacity(0.3);
  p.drawPixmap(0, 0, bright);
  p.end();
  icon.addPixmap(faint, QIcon::Disabled);
  return icon;
}

static double text_scale = 1;

int text_px(int pixels) { return static_cast<int>(std::lround(pixels * text_scale)); }

void apply_style(QApplication& application, int text) {
  // A system that wants larger text says so by a higher logical resolution.
  const QScreen* screen = QGuiApplication::primaryScreen();
  const double system = screen ? screen->logicalDotsPerInch() / 96 : 1;
  text_scale = std::clamp(system, 0.8, 3.0) * text / 100;
  init_resources();
  application.setStyle(QStyleFactory::create("Fusion"));
  QFontDatabase::addApplicationFont(":/fonts/TsukimiUI-Regular.otf");
  QFontDatabase::addApplicationFont(":/fonts/TsukimiUI-Bold.otf");
  QFont font("Tsukimi UI");
  font.setPixelSize(text_px(12));
  application.setFont(font);
  application.setWindowIcon(QIcon(":/icons/app.svg"));

  QPalette p;
  p.setColor(QPalette::Window, colour::panel);
  p.setColor(QPalette::WindowText, colour::text);
  p.setColor(QPalette::Base, colour::ground);
  p.setColor(QPalette::AlternateBase, colour::panel);
  p.setColor(QPalette::Text, colour::text);
  p.setColor(QPalette::Button, colour::raised);
  p.setColor(QPalette::ButtonText, colour::text);
  p.setColor(QPalette::Highlight, colour::moon);
  p.setColor(QPalette::HighlightedText, colour::ground);
  p.setColor(QPalette::ToolTipBase, colour::raised);
  p.setColor(QPalette::ToolTipText, colour::text);
  p.setColor(QPalette::PlaceholderText, colour::shot);
  p.setColor(QPalette::Disabled, QPalette::Text, colour::faint);
  p.setColor(QPalette::Disabled, QPalette::ButtonText, colour::faint);
  p.setColor(QPalette::Disabled, QPalette::WindowText, colour::faint);
  application.setPalette(p);

  QString sheet = R"(
    QMainWindow, QDialog { background: #1b1b1c; }
    QMenuBar { background: #1b1b1c; padding: 5px 6px; }
    QMenuBar::item { padding: 3px 9px; background: transparent; border-radius: 3px; }
    QMenuBar::item:selected { background: #303031; }
    QMenu { background: #2a2a2b; border: 1px solid #3d3d3e; padding: 4px; }
    QMenu::item { padding: 5px 26px 5px 14px; border-radius: 3px; }
    QMenu::item:selected { background: #3d3d3e; }
    QMenu::item:disabled { color: #6d6c69; }
    QMenu::separator { height: 1px; background: #3d3d3e; margin: 4px 8px; }
    QToolTip { background: #303031; color: #e9e7e1; border: 1px solid #3d3d3e; padding: 4px 6px; }
    QPushButton { background: #303031; border: 1px solid #454546; border-radius: 4px; padding: 5px 11px; }
    QPushButton:hover { background: #3a3a3b; }
    QPushButton:pressed { background: #282829; }
    QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus { border: 1px solid #f0dc9a; }
    QPushButton:disabled { color: #6d6c69; border-color: #333334; }
    QPushButton#primary, QPushButton#start_open { background: #f0dc9a; color: #1b1b1c; border: 1px solid #f0dc9a; font-weight: bold; }
    QPushButton#primary:hover, QPushButton#start_open:hover { background: #f7e9b9; }
    QPushButton#primary:disabled { background: #4a4637; color: #8d8468; border-color: #4a4637; }
    QPushButton:checked { background: #3a382f; color: #f0dc9a; border: 1px solid #a99b6c; }
    QToolButton { background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 3px 6px; }
    QToolButton:hover { background: #303031; }
    QToolButton[changed="true"] { border-bottom: 2px solid #a99b6c; border-bottom-left-radius: 0; border-bottom-right-radius: 0; }
    QToolButton:checked { background: #3a382f; color: #f0dc9a; }
    QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox { background: #1b1b1c; border: 1px solid #3d3d3e; border-radius: 4px; padding: 4px 7px; min-height: 16px; selection-background-color: #f0dc9a; selection-color: #1b1b1c; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox::down-arrow { image: url(:/icons/down.svg); width: 10px; height: 6px; margin-right: 8px; }
    QComboBox QAbstractItemView { background: #2a2a2b; border: 1px solid #3d3d3e; selection-background-color: #3d3d3e; selection-color: #e9e7e1; outline: none; }
    QSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::up-button, QDoubleSpinBox::down-button { width: 0; }
    QCheckBox { spacing: 8px; }
    QCheckBox::indicator { width: 28px; height: 16px; image: url(:/icons/switch_off.svg); }
    QCheckBox::indicator:checked { image: url(:/icons/switch_on.svg); }
    QRadioButton::indicator { width: 16px; height: 16px; image: url(:/icons/choice_off.svg); }
    QRadioButton::indicator:checked { image: url(:/icons/choice_on.svg); }
    QRadioButton:focus { color: #f0dc9a; }
    QCheckBox:focus { color: #f0dc9a; }
    QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
    QLabel#heading { color: #a9a7a2; font-weight: bold; padding-top: 4px; }
    QLabel#title { font-size: @15; font-weight: bold; }
    QLabel#quiet { color: #a9a7a2; }
    QLabel#attention { color: #e8836b; }
    QListWidget, QUndoView, QTreeWidget { background: #1b1b1c; border: 1px solid #333334; border-radius: 4px; outline: none; }
    QListWidget:focus, QUndoView:focus, QTreeWidget:focus { border-color: #f0dc9a; }
    QListWidget::item, QUndoView::item { padding: 3px 0px; border-left: 5px solid transparent; }
    QTreeWidget::item { padding: 2px 2px; }
    QListWidget::item:hover, QUndoView::item:hover, QTreeWidget::item:hover { background: #2a2a2b; }
    QListWidget::item:selected, QUndoView::item:selected, QTreeWidget::item:selected { background: #3a382f; color: #f0dc9a; }
    QToolButton[popupMode="1"] { padding-right: 18px; }
    QToolButton::menu-button { border: none; width: 15px; }
    QToolButton::menu-arrow { image: url(:/icons/open.svg); width: 9px; height: 9px; }
    QTreeWidget::branch { background: transparent; }
    QTreeWidget::branch:has-children:closed { image: url(:/icons/right.svg); padding: 5px; }
    QTreeWidget::branch:has-children:open { image: url(:/icons/open.svg); padding: 5px; }
    QAbstractItemView::indicator { width: 15px; height: 15px; image: url(:/icons/tick_off.svg); }
    QAbstractItemView::indicator:checked { image: url(:/icons/tick_on.svg); }
    QAbstractItemView::indicator:indeterminate { image: url(:/icons/tick_some.svg); }
    QProgressBar { background: #1b1b1c; border: 1px solid #3d3d3e; border-radius: 3px; max-height: 7px; }
    QProgressBar::chunk { background: #f0dc9a; border-radius: 2px; }
    QScrollArea { border: none; background: transparent; }
    QScrollBar:vertical { background: transparent; width: 9px; }
    QScrollBar::handle:vertical { background: #48484a; border-radius: 4px; min-height: 24px; }
    QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
    QWidget#top, QWidget#start_page { background: #1b1b1c; }
    QWidget#begin { background: #242425; }
    QLabel#start_name { font-size: @30; font-weight: bold; }
    QWidget#restored { background: #3a382f; }
  )";
  for (int size : {15, 30})
    sheet.replace(QString("@%1").arg(size), QString("%1px").arg(text_px(size)));
  application.setStyleSheet(sheet);
}

}  // namespace tsukimi::app
