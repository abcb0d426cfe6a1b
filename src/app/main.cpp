// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCommandLineParser>
#include <QLocale>
#include <QTranslator>

#include "app/main_window.h"
#include "app/widgets/style.h"
#include "base/parallel.h"

int main(int argc, char** argv) {
  tsukimi::keep_freed_memory();
  QApplication application(argc, argv);
  QApplication::setOrganizationName("tsukimi");
  QApplication::setApplicationName("tsukimi");
  QApplication::setApplicationVersion(TSUKIMI_VERSION);
  QCommandLineParser parser;
  parser.setApplicationDescription("Time-lapse sequences: level, deflicker, grade, export.");
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument("path", "A folder of frames or a .tsukimi shoot");
  parser.process(application);
  // Words of other languages, where there are some.
  QTranslator words;
  if (words.load(QLocale(), "tsukimi", "_", ":/translations"))
    QApplication::installTranslator(&words);
  const auto preferences = tsukimi::app::Preferences::read();
  preferences.apply();
  tsukimi::app::apply_style(application, preferences.text);
  tsukimi::app::MainWindow window;
  window.show();
  // Its bytes, as they were given: the parser has only a text of them.
  if (const QStringList given = parser.positionalArguments(); !given.isEmpty())
    window.open(*std::find_if(argv + 1, argv + argc, [&](const char* a) {
      return QString::fromLocal8Bit(a) == given.first();
    }));
  return QApplication::exec();
}
