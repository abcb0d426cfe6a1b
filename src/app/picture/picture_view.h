// The picture: fit or 100 %, the seam between before and after, and what is edited on it (crop,
// steady area).
#pragma once

#include <QTimer>
#include <QWidget>

#include "app/picture/preview.h"

namespace tsukimi::app {

enum class Tool { look, crop, steady_area };

class PictureView : public QWidget {
  Q_OBJECT
 public:
  PictureView(Session& session, Preview& preview, QWidget* parent = nullptr);

  void set_tool(Tool tool);
  Tool tool() const { return tool_; }
  void set_before(bool on);  // the whole picture as shot
  void set_seam(bool on);    // as shot left of the seam
  bool seam() const { return seam_on_; }
  void set_full(bool on);  // 100 %
  bool full() const { return full_; }
  void set_neighbours(bool on);  // between the kept frames before and after, each with its name
  // True when what is on screen is this frame with the present settings.
  bool up_to_date() const;
  const QImage& shown() const { return shown_.image; }

 signals:
  void area_drawn();  // a steady area was drawn

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void resizeEvent(QResizeEvent*) override { update(); }

 private:
  Kind shown_kind() const { return before_ ? Kind::as_shot : Kind::developed; }
  QRectF visible_part() const;  // of the frame, fractions: the crop, or all of it while cropping
  QSizeF fit() const;           // of that part, in the widget
  QRectF target() const;        // where it lies in the widget
  QPointF to_frame(QPointF p) const;
  QRectF to_widget(const Rect& r) const;
  void paint_picture(QPainter& p, const Picture& picture) const;
  void paint_neighbours(QPainter& p);
  void paint_plate(QPainter& p, QPointF top_left, const QString& text, bool attention);
  void paint_area(QPainter& p, const Rect& r, const QString& label);

  Session& session_;
  Preview& preview_;
  Tool tool_ = Tool::look;
  bool before_ = false, seam_on_ = false, full_ = false, neighbours_ = false;
  double seam_ = 0.5;
  QPointF pan_{0.5, 0.5};  // centre at 100 %, fractions of the visible part
  Picture shown_;
  // What could not be shown; asked for again while it stands there, since the file may be back.
  QString failure_;
  int failed_frame_ = -1;
  QTimer retry_;

  enum class Drag { none, seam, crop, area, pan } drag_ = Drag::none;
  QPointF drag_from_;
  Rect drag_rect_;
  int drag_serial_ = 0;
};

}  // namespace tsukimi::app
