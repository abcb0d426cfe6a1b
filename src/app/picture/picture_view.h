// SPDX-License-Identifier: GPL-3.0-or-later
// The picture: fit or larger, before and after. While something moves it is the live one, at rest
// it is finished from the file: the same, only finer. What is done on it with the mouse is a tool's
// (tool.h): the seam, the drawer's own one, moving it when it is larger than the view.
#pragma once

#include <QTimer>
#include <QWidget>

#include "app/picture/pointed.h"
#include "app/picture/preview.h"
#include "app/picture/seam.h"
#include "app/picture/zoom.h"

namespace tsukimi::app {

class PictureView : public QWidget {
  Q_OBJECT
 public:
  PictureView(Session& session, Preview& preview, QWidget* parent = nullptr);

  void set_tool(PictureTool* tool);  // of the drawer that is open; none: nullptr
  void set_before(bool on);          // the whole picture as shot
  bool before() const { return before_; }
  void set_seam(bool on);      // what it is compared with left of the seam
  void set_zoom(double zoom);  // Zoom::kFit, or screen pixels for one of the picture
  double zoom() const { return zoom_.scale; }
  void set_clipping(bool on);  // marks on what is lost
  void set_finish_at_rest(bool on);
  void set_surround(const QColor& colour);
  void set_bare(bool on);        // no margin and no words: whole screen
  void set_neighbours(bool on);  // between the kept frames before and after, each with its name
  // True when what is on screen is this frame with the present settings.
  bool up_to_date() const;
  // True when that is the finished picture.
  bool at_rest() const { return finished_; }
  const QImage& shown() const { return shown_.image; }
  const Picture& shown_picture() const { return shown_; }
  // What the sensor saw of the frame that is looked at; nullptr: not read yet.
  std::shared_ptr<const Histogram> sensor_tones() const;

  // What lies below the pointer, if it is on the picture.
  std::optional<Pointed> pointed() const;
  Canvas canvas() const;

 signals:
  void rested();  // the finished picture is on screen
  void shown_changed();
  void zoom_changed();
  void pointer_moved();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void leaveEvent(QEvent*) override;
  void resizeEvent(QResizeEvent*) override { moved(); }

 private:
  Rendering shown_kind() const { return before_ ? Rendering::as_shot : Rendering::live; }
  void moved();               // something did: the live picture until it rests
  bool whole_frame() const;   // is shown, for some tools; else what the film shows
  Placement visible() const;  // that
  QSizeF fit() const;         // of that, in the widget
  Size natural() const;       // its pixels
  int margin() const;
  double fit_scale() const;  // screen pixels for one of the picture when it fits
  void paint_words(QPainter& p, const QString& text, const QColor& pen);
  void paint_first_look(QPainter& p, const QImage& first);
  void paint_frame(QPainter& p, const Canvas& canvas);
  void paint_source(QPainter& p, const Canvas& canvas);
  void paint_remarks(QPainter& p, const Canvas& canvas);  // set aside, suspect
  void paint_picture(QPainter& p, const Canvas& canvas, const Picture& picture, const QRectF& clip);

  Session& session_;
  Preview& preview_;
  PictureTool* tool_ = nullptr;
  Seam seam_{session_.compare};
  Zoom zoom_;
  PictureTool* dragged_ = nullptr;  // the one that took the press
  bool before_ = false, neighbours_ = false, clipping_ = false, bare_ = false;
  bool finishes_ = true;  // develops from the file at rest
  QColor surround_;
  std::optional<QPointF> pointer_;
  int wheel_ = 0;  // eighths of a degree turned since the last step
  Picture shown_;
  bool finished_ = false;  // it is
  // The last one in the size in which it was drawn: it is drawn again before the next one is there.
  struct Scaled {
    qint64 of = 0;
    QSize pixels;
    QPixmap pixmap;
  } scaled_;
  // The marks on what is lost, and of what.
  struct Marks {
    qint64 of = 0;
    QRectF part;
    QSize pixels;
    QImage image;
  } marks_;
  void paint_clipping(QPainter& p, const Canvas& canvas);
  QTimer rest_;
  // What could not be shown, or (unfinished_) be finished from its file; asked for again while it
  // stands there, since the file may be back.
  QString failure_;
  int failed_frame_ = -1, unfinished_ = -1;
  QTimer retry_;
};

}  // namespace tsukimi::app
