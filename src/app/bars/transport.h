// SPDX-License-Identifier: GPL-3.0-or-later
// Below the picture: play, where we are, what lies below the pointer, frame rate, what the picture
// is compared with, how large it is.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QWidget>

#include "app/picture/picture_view.h"
#include "app/picture/player.h"

namespace tsukimi::app {

class Transport : public QWidget {
  Q_OBJECT
 public:
  Transport(Session& session, Preview& preview, PictureView& picture, QWidget* parent = nullptr);
  void toggle_play() { player_.toggle(); }
  bool playing() const { return player_.playing(); }
  double measured_fps() const { return player_.measured_fps(); }
  Player& player() { return player_; }
  void set_in();
  void set_out();
  void toggle_full();  // 100 % or fit
  QSize minimumSizeHint() const override {
    return {320, height()};
  }  // what has no room is left out
  QToolButton *sheet_button, *neighbours_button, *seam_button;
  QMenu* compare_menu;

 protected:
  bool eventFilter(QObject* of, QEvent* e) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  QToolButton* add_button(const QString& text, const QString& name, const QString& tip);
  void fill_compare_menu();
  void show_place();
  void show_playing();
  void show_words();
  QStringList fitting(QStringList words) const;
  QString place_words() const;
  QString pointed_words(const Pointed& pointed) const;
  void show_zoom();

  Session& session_;
  PictureView& picture_;
  Player player_;
  QToolButton *play_, *round_;
  QLabel *place_, *range_;  // place_: also the rate that is reached, or the values pointed at
  QComboBox *fps_, *zoom_;
  bool per_cent_ = false;  // of display values
};

}  // namespace tsukimi::app
