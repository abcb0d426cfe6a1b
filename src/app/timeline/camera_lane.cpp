// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/camera_lane.h"

#include <QPainterPath>
#include <cmath>

#include "app/widgets/style.h"

namespace tsukimi::app {

void CameraLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const auto& frames = session_.document.shoot().sequence.frames;
  struct Row {
    const char* name;
    double (*stops)(const FrameInfo&);
    QString (*text)(const FrameInfo&);
  };
  static const Row rows[] = {
      {"shutter", [](const FrameInfo& f) { return std::log2(std::max(f.shutter, 1e-6)); },
       [](const FrameInfo& f) { return QString::fromStdString(format_shutter(f.shutter)); }},
      {"ISO", [](const FrameInfo& f) { return std::log2(std::max(f.iso, 1.0)); },
       [](const FrameInfo& f) { return QString("ISO %1").arg(f.iso); }},
      {"aperture", [](const FrameInfo& f) { return -2 * std::log2(std::max(f.aperture, 0.1)); },
       [](const FrameInfo& f) { return QString("f/%1").arg(f.aperture); }}};
  QFont small = p.font();
  small.setPixelSize(text_px(9));
  p.setFont(small);
  // A value that never changes needs a line of text; the others share what is left.
  double low[3], high[3];
  int moving = 0;
  for (int k = 0; k < 3; ++k) {
    low[k] = 1e9, high[k] = -1e9;
    for (const auto& f : frames)
      if (f.usable())
        low[k] = std::min(low[k], rows[k].stops(f)), high[k] = std::max(high[k], rows[k].stops(f));
    moving += high[k] - low[k] > 1e-9;
  }
  // The first that moves gets the most: it is where the ramp is.
  const double line = text_px(12), words = text_px(11);
  const double room = r.height() - (3 - moving) * line;
  double top = r.top();
  bool first = true;
  for (int k = 0; k < 3; ++k) {
    const bool moves = high[k] - low[k] > 1e-9;
    const double h = !moves        ? line
                     : moving == 1 ? room
                     : first       ? room * 0.46
                                   : room * 0.54 / (moving - 1);
    first &= !moves;
    const QRectF band(r.left(), top, r.width(), h);
    top += h;
    if (low[k] > high[k]) continue;
    auto y_of = [&](const FrameInfo& f) {
      return !moves
                 ? band.center().y()
                 : band.bottom() - 2.5 - (rows[k].stops(f) - low[k]) / (high[k] - low[k]) * (h - 6);
    };
    QPainterPath path;
    struct Label {
      double x;
      QString text;
      double y;
    };
    std::vector<Label> labels;
    const FrameInfo* before = nullptr;
    double words_end = -1e9;
    bool named = false;
    for (std::size_t i = 0; i < frames.size(); ++i) {
      if (!frames[i].usable()) continue;
      const double x = scale.x_of(static_cast<double>(i) - 0.5), y = y_of(frames[i]);
      const bool step = !before || rows[k].stops(*before) != rows[k].stops(frames[i]);
      if (!before) path.moveTo(x, y);
      if (step) {
        if (before) path.lineTo(x, y_of(*before));
        path.lineTo(x, y);
      }
      // What holds at the left edge is named there.
      if (named ? step : scale.x_of(static_cast<double>(i) + 0.5) > r.left()) {
        named = true;
        const QString text = rows[k].text(frames[i]);
        const double at = std::max(x + 4, r.left() + 3),
                     w = p.fontMetrics().horizontalAdvance(text);
        if (at + w < r.right() - 2 && at > words_end + 7) {
          labels.push_back({at, text, y});
          words_end = at + w;
        }
      }
      before = &frames[i];
    }
    if (before) path.lineTo(scale.x_of(static_cast<double>(frames.size()) - 0.5), y_of(*before));
    p.setPen(QPen(colour::faint, 1.2));
    p.setBrush(Qt::NoBrush);
    p.save();
    p.setClipRect(r);
    p.drawPath(path);
    for (const auto& l : labels) {
      const double w = p.fontMetrics().horizontalAdvance(l.text);
      // Above the stair where there is room, else below.
      const double y = !moves ? band.center().y() - words / 2
                       : l.y - line >= band.top() - 1
                           ? l.y - line
                           : std::min(l.y + 1.5, band.bottom() + 1 - words);
      const QRectF box(l.x, y, w, words);
      p.fillRect(box.adjusted(-1, 1, 1, -1), QColor(0x1f, 0x1f, 0x20, 200));
      p.setPen(colour::quiet);
      p.drawText(box, Qt::AlignCenter, l.text);
    }
    p.restore();
  }
}

}  // namespace tsukimi::app
