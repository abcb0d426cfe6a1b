// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/sky_words.h"

#include <QObject>

#include "app/widgets/column.h"
#include "film/sky.h"

namespace tsukimi::app {

QStringList sky_words(const Shoot& shoot) {
  QStringList out;
  if (shoot.sky && shoot.sky->found())
    out << QObject::tr("%1 stars were followed; they are %2 pixels off on average.")
               .arg(shoot.sky->stars)
               .arg(shoot.sky->left * shoot.sequence.size.width, 0, 'f', 1);
  for (const std::string& note : sky_notes(shoot)) out << attention(QString::fromStdString(note));
  return out;
}

}  // namespace tsukimi::app
