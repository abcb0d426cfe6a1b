// What the drawers share: a title, a scrolling column, and the small pieces that they are made of.
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "app/picture/tool.h"
#include "app/state/session.h"
#include "app/widgets/ruler.h"

namespace tsukimi::app {

// A frame's number as people count, padded with figure spaces so that columns stand.
inline QString frame_number(int frame) {
  return QString::number(frame + 1).rightJustified(4, QChar(0x2007));
}

class Drawer : public QScrollArea {
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
  QLabel* heading(const QString& text);
  QLabel* words(const QString& style = "quiet");
  QPushButton* button(const QString& text, const QString& name, const QString& tip);
  QCheckBox* check(const QString& text, const QString& name, const QString& tip);
  QListWidget* list(const QString& name, int height);

  Session& session_;
  QString title_, last_heading_;
  QVBoxLayout* column_;
};

}  // namespace tsukimi::app
