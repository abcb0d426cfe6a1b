// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/style.h"

#include <QFile>
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

static void load_font(QApplication& application) {
  QFontDatabase::addApplicationFont(":/fonts/TsukimiUI-Regular.otf");
  QFontDatabase::addApplicationFont(":/fonts/TsukimiUI-Bold.otf");
  QFont font("Tsukimi UI");
  font.setPixelSize(text_px(12));
  application.setFont(font);
}

static QPalette palette() {
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
  return p;
}

// What the palette does not reach, with sizes of text as large as they are to be.
static QString style_sheet() {
  QFile file(":/style.qss");
  if (!file.open(QIODevice::ReadOnly)) return {};
  QString sheet = QString::fromUtf8(file.readAll());
  for (int size : {15, 30})
    sheet.replace(QString("@%1").arg(size), QString("%1px").arg(text_px(size)));
  return sheet;
}

void apply_style(QApplication& application, int text) {
  // A system that wants larger text says so by a higher logical resolution.
  const QScreen* screen = QGuiApplication::primaryScreen();
  const double system = screen ? screen->logicalDotsPerInch() / 96 : 1;
  text_scale = std::clamp(system, 0.8, 3.0) * text / 100;
  init_resources();
  application.setStyle(QStyleFactory::create("Fusion"));
  load_font(application);
  application.setWindowIcon(QIcon(":/icons/app.svg"));
  application.setPalette(palette());
  application.setStyleSheet(style_sheet());
}

}  // namespace tsukimi::app
