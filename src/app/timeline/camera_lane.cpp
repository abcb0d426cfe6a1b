// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/camera_lane.h"

#include <QPainterPath>
#include <algorithm>
#include <array>
#include <cmath>

#include "app/widgets/style.h"

namespace tsukimi::app {
namespace {

struct Setting {
  double (*stops)(const FrameInfo&);  // more is more light
  QString (*text)(const FrameInfo&);
};
constexpr int kSettings = 3;
const Setting kRows[kSettings] = {
    {[](const FrameInfo& f) { return std::log2(std::max(f.shutter, 1e-6)); },
     [](const FrameInfo& f) { return QString::fromStdString(format_shutter(f.shutter)); }},
    {[](const FrameInfo& f) { return std::log2(std::max(f.iso, 1.0)); },
     [](const FrameInfo& f) { return QString("ISO %1").arg(f.iso); }},
    {[](const FrameInfo& f) { return -2 * std::log2(std::max(f.aperture, 0.1)); },
     [](const FrameInfo& f) { return QString("f/%1").arg(f.aperture); }}};

// One setting over the frames, as a stair in its band.
struct Stair {
  const Setting* setting;
  double low = 1e9, high = -1e9;  // stops
  QRectF band;
  bool is_known() const { return low <= high; }
  bool moves() const { return high - low > 1e-9; }
  double y_of(const FrameInfo& frame) const {
    constexpr double kBelow = 2.5, kBoth = 6;  // px between the stair and its band's edges
    return !moves() ? band.center().y()
                    : band.bottom() - kBelow -
                          (setting->stops(frame) - low) / (high - low) * (band.height() - kBoth);
  }
};

struct Label {
  QRectF box;
  QString text;
};

// A value that never changes needs a line of text; the others share what is left, and the first
// that moves gets the most: it is where the ramp is.
void lay_out(std::array<Stair, kSettings>& stairs, const QRectF& lane) {
  constexpr double kFirstOfSeveral = 0.46;
  const auto moving =
      std::count_if(stairs.begin(), stairs.end(), [](const Stair& s) { return s.moves(); });
  const double line = text_px(12),
               room = lane.height() - static_cast<double>(kSettings - moving) * line;
  double top = lane.top();
  bool first = true;
  for (Stair& s : stairs) {
    const double share = moving == 1 ? 1
                         : first     ? kFirstOfSeveral
                                     : (1 - kFirstOfSeveral) / static_cast<double>(moving - 1);
    const double height = s.moves() ? room * share : line;
    first &= !s.moves();
    s.band = {lane.left(), top, lane.width(), height};
    top += height;
  }
}

// Above the stair where there is room, else below.
double label_top(const Stair& stair, double y) {
  const double line = text_px(12), words = text_px(11);
  if (!stair.moves()) return stair.band.center().y() - words / 2;
  return y - line >= stair.band.top() - 1 ? y - line
                                          : std::min(y + 1.5, stair.band.bottom() + 1 - words);
}

void paint_stair(QPainter& p, const QRectF& lane, const TimeScale& scale, const Stair& stair,
                 const std::vector<FrameInfo>& frames) {
  constexpr double kGap = 7;  // px between two values
  QPainterPath path;
  std::vector<Label> labels;
  const FrameInfo* before = nullptr;
  double words_end = -1e9;
  bool named = false;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const FrameInfo& frame = frames[i];
    if (!frame.usable()) continue;
    const double x = scale.x_of(static_cast<double>(i) - 0.5), y = stair.y_of(frame);
    const bool step = !before || stair.setting->stops(*before) != stair.setting->stops(frame);
    if (!before) path.moveTo(x, y);
    if (step) {
      if (before) path.lineTo(x, stair.y_of(*before));
      path.lineTo(x, y);
    }
    before = &frame;
    // What holds at the left edge is named there.
    if (!(named ? step : scale.x_of(static_cast<double>(i) + 0.5) > lane.left())) continue;
    named = true;
    const QString text = stair.setting->text(frame);
    const double at = std::max(x + 4, lane.left() + 3),
                 width = p.fontMetrics().horizontalAdvance(text);
    if (at + width >= lane.right() - 2 || at <= words_end + kGap) continue;
    labels.push_back({QRectF(at, label_top(stair, y), width, text_px(11)), text});
    words_end = at + width;
  }
  if (before)
    path.lineTo(scale.x_of(static_cast<double>(frames.size()) - 0.5), stair.y_of(*before));
  p.setPen(QPen(colour::faint, 1.2));
  p.setBrush(Qt::NoBrush);
  p.drawPath(path);
  p.setPen(colour::quiet);
  for (const Label& l : labels) {
    p.fillRect(l.box.adjusted(-1, 1, 1, -1), QColor(0x1f, 0x1f, 0x20, 200));
    p.drawText(l.box, Qt::AlignCenter, l.text);
  }
}

}  // namespace

void CameraLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const auto& frames = session_.document.shoot().sequence.frames;
  std::array<Stair, kSettings> stairs;
  for (int k = 0; k < kSettings; ++k) {
    Stair& s = stairs[k];
    s.setting = &kRows[k];
    for (const auto& f : frames)
      if (f.usable())
        s.low = std::min(s.low, s.setting->stops(f)),
        s.high = std::max(s.high, s.setting->stops(f));
  }
  lay_out(stairs, r);
  QFont small = p.font();
  small.setPixelSize(text_px(9));
  p.setFont(small);
  p.save();
  p.setClipRect(r);
  for (const Stair& s : stairs)
    if (s.is_known()) paint_stair(p, r, scale, s, frames);
  p.restore();
}

}  // namespace tsukimi::app
