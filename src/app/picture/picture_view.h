// SPDX-License-Identifier: GPL-3.0-or-later
// The picture: fit or larger, before and after. While something moves it is the live one, at rest
// it is finished from the file: the same, only finer. What is done on it with the mouse is a tool's
// (tool.h): the seam, the drawer's own one, moving it when it is larger than the view.
#pragma once

#include <QWidget>

#include "app/picture/beside.h"
#include "app/picture/drawn_picture.h"
#include "app/picture/picture_fit.h"
#include "app/picture/pointed.h"
#include "app/picture/seam.h"
#include "app/picture/shown_picture.h"
#include "app/picture/zoom.h"

namespace tsukimi::app {

class PictureView : public QWidget {
  Q_OBJECT
 public:
  PictureView(Session& session, Preview& preview, QWidget* parent = nullptr);

  // What stands on it: as shot or with its look, live or finished.
  ShownPicture& shown() { return shown_; }

  void set_tool(PictureTool* tool);  // of the drawer that is open; none: nullptr
  void set_seam(bool on);            // what it is compared with left of the seam
  void set_zoom(double zoom);        // Zoom::kFit, or screen pixels for one of the picture
  double zoom() const { return zoom_.scale; }
  void set_clipping(bool on);  // marks on what is lost
  void set_surround(const QColor& colour);
  void set_bare(bool on);        // no margin and no words: whole screen
  void set_neighbours(bool on);  // between the kept frames before and after, each with its name

  // What lies below the pointer, if it is on the picture.
  std::optional<Pointed> pointed() const;
  Canvas canvas() const { return fit().canvas(zoom_); }

 signals:
  void zoom_changed();
  void pointer_moved();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void leaveEvent(QEvent*) override;
  void resizeEvent(QResizeEvent*) override { shown_.moved(); }

 private:
  PictureFit fit() const;
  void paint_first_look(QPainter& p, const QImage& first);
  void paint_frame(QPainter& p, const Canvas& canvas);
  void paint_compared(QPainter& p, const Canvas& canvas);  // left of the seam
  // As it is seen through the lens, when that is on.
  Picture through_lens(const Picture& picture, bool before);

  Session& session_;
  Preview& preview_;
  ShownPicture shown_{session_, preview_, this};
  DrawnPicture drawn_, drawn_compared_;
  PictureTool* tool_ = nullptr;
  Seam seam_{session_.compare};
  Beside beside_{session_, preview_};
  struct Seen {
    qint64 of = 0;
    quint64 lens = 0;
    Picture picture;
  } seen_[2];  // through the lens: before, and as it is
  Zoom zoom_;
  PictureTool* dragged_ = nullptr;  // the one that took the press
  bool neighbours_ = false, clipping_ = false, bare_ = false;
  QColor surround_;
  std::optional<QPointF> pointer_;
  int wheel_ = 0;  // eighths of a degree turned since the last step
};

}  // namespace tsukimi::app
