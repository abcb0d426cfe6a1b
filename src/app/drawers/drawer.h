// SPDX-License-Identifier: GPL-3.0-or-later
// What the drawers share: a title, a scrolling column, and the small pieces that they are made of.
#pragma once

#include <QScrollArea>

#include "app/picture/tool.h"
#include "app/state/session.h"
#include "app/widgets/column.h"
#include "app/widgets/ruler.h"

namespace tsukimi::app {

// A frame's number as people count, padded with figure spaces so that columns stand.
inline QString frame_number(int frame) {
  return QString::number(frame + 1).rightJustified(4, QChar(0x2007));
}

class Drawer : public QScrollArea, protected Column {
  Q_OBJECT
 public:
  Drawer(const QString& title, Session& session, QWidget* parent = nullptr);
  const QString& title() const { return title_; }
  QSize minimumSizeHint() const override;
  // What is done on the picture while this drawer is open.
  virtual PictureTool* tool() { return nullptr; }

 protected:
  virtual void refresh() = 0;  // on every change of the session
  void showEvent(QShowEvent*) override { refresh(); }
  QString light_words() const;  // why there is nothing to say of the light yet

  Session& session_;
  QString title_;
};

}  // namespace tsukimi::app
