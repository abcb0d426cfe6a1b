// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/convert/value_text.h"

#include <QCoreApplication>

namespace tsukimi::app {

QString number_text(double value, int decimals, bool with_sign) {
  QString s = QString::number(value, 'f', decimals);
  if (s.toDouble() == 0 && s.startsWith('-')) s.remove(0, 1);
  if (with_sign && value > 0 && s.toDouble() != 0) s.prepend('+');
  return s.replace('-', QChar(0x2212));
}

QString value_text(Param p, double value) {
  const auto& row = info(p);
  const QString number = number_text(value, row.decimals, row.min < 0);
  return *row.unit ? number + " " + row.unit : number;
}

QString words_of(const char* of_the_core) {
  return QCoreApplication::translate("core", of_the_core);
}

QString label_of(Param p) { return words_of(info(p).label); }

}  // namespace tsukimi::app
