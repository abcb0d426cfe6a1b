#include "app/timeline/timeline.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <cmath>

#include "app/widgets/path_text.h"
#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {
constexpr int kGutter = 62;
constexpr double kTop[] = {8, 90, 158}, kHeight[] = {78, 64, 26};
constexpr double kInset = 9;  // room for a disc on the first and the last frame
const char* const kNames[] = {"Light", "Camera", "Marks"};
}  // namespace

Timeline::Timeline(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("timeline");
  setMouseTracking(true);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  auto refresh = [this] { update(); };
  connect(&session_.document, &Document::changed, this, refresh);
  connect(&session_.light, &LightWork::changed, this, refresh);
  connect(&session_.playhead, &Playhead::frame_changed, this, refresh);
  connect(&session_.document, &Document::opened, this, [this] {
    first_ = 0;
    last_ = std::max(1, session_.document.shoot().frame_count() - 1);
    update();
  });
  connect(&session_.document, &Document::frames_added, this, [this] {
    const bool all = first_ <= 0;  // what was whole stays whole
    if (all) last_ = std::max(1, session_.document.shoot().frame_count() - 1);
    update();
  });
  connect(&session_.playhead, &Playhead::selection_changed, this, refresh);
}

std::optional<std::pair<int, int>> Timeline::selection() const {
  const auto& s = session_.playhead.selection();
  if (s.empty()) return {};
  return std::pair{s.front(), s.back()};
}

QRectF Timeline::lane(int i) const {
  return {static_cast<double>(kGutter), kTop[i], width() - kGutter - 14.0, kHeight[i]};
}
double Timeline::x_of(double frame) const {
  return lane(0).left() + kInset +
         (frame - first_) / (last_ - first_) * (lane(0).width() - 2 * kInset);
}
int Timeline::frame_at(double x) const {
  const double f =
      first_ + (x - lane(0).left() - kInset) / (lane(0).width() - 2 * kInset) * (last_ - first_);
  return std::clamp(static_cast<int>(std::lround(f)), 0,
                    std::max(0, session_.document.shoot().frame_count() - 1));
}

// Brightness after everything that counts in stops: corrections and the exposure of the look.
std::vector<double> Timeline::developed() const {
  std::vector<double> out = session_.light.plan().deflickered;
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] += session_.document.course().at(Param::exposure, static_cast<int>(i));
  return out;
}

void Timeline::trace(QPainter& p, const QRectF& r, const std::vector<double>& v, double low,
                     double high, const QPen& pen) const {
  QPainterPath path;
  bool drawing = false;
  const int a = std::max(0, static_cast<int>(first_) - 1),
            b = std::min(static_cast<int>(v.size()) - 1, static_cast<int>(last_) + 1);
  for (int i = a; i <= b; ++i) {
    if (std::isnan(v[i])) continue;  // a frame that is left out does not break the line
    const QPointF at(x_of(i), r.bottom() - 4 - (v[i] - low) / (high - low) * (r.height() - 8));
    drawing ? path.lineTo(at) : path.moveTo(at);
    drawing = true;
  }
  p.setPen(pen);
  p.setBrush(Qt::NoBrush);
  p.save();
  p.setClipRect(r);  // zoomed in, it goes on to both sides
  p.drawPath(path);
  p.restore();
}

void Timeline::paint_light(QPainter& p, const QRectF& r) const {
  if (!session_.light.known()) {
    p.setPen(colour::quiet);
    p.drawText(r, Qt::AlignCenter,
               session_.light.measuring()
                   ? "The brightness curve appears when the light has been measured."
                   : "The light has not been measured. Click here to measure it.");
    return;
  }
  const auto& light = session_.light.plan();
  const auto after = developed();
  double low = 1e9, high = -1e9;
  auto span = [&](const std::vector<double>& v) {
    for (double x : v)
      if (!std::isnan(x)) low = std::min(low, x), high = std::max(high, x);
  };
  span(light.as_shot);
  span(after);
  if (low > high) return;
  const double pad = std::max(0.15, 0.04 * (high - low));
  low -= pad, high += pad;
  // A quiet line every stop (or two, or five), named at the left.
  const double every = high - low > 14 ? 5 : high - low > 6 ? 2 : 1;
  QFont small = font();
  small.setPixelSize(9);
  p.setFont(small);
  for (double v = std::ceil(low / every) * every; v < high; v += every) {
    const double y = r.bottom() - 4 - (v - low) / (high - low) * (r.height() - 8);
    p.setPen(QPen(QColor(0x2e, 0x2e, 0x2f), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(colour::faint);
    p.drawText(QRectF(r.left() - 34, y - 6, 30, 12), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(v, 'f', 0).replace('-', QChar(0x2212)));
  }
  p.setFont(font());
  trace(p, r, light.as_shot, low, high, QPen(colour::shot, 1.1));
  if (session_.document.decisions().deflicker.on)
    trace(p, r, light.goal, low, high, QPen(colour::goal, 1, Qt::DashLine));
  trace(p, r, after, low, high, QPen(colour::moon, 1.7));
  // Legend: what the lines are, in words.
  QFont f = font();
  f.setPixelSize(10);
  p.setFont(f);
  double x = r.right() - 4;
  auto entry = [&](const QString& text, const QPen& pen) {
    const double w = p.fontMetrics().horizontalAdvance(text);
    x -= w;
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x1f, 0x1f, 0x20, 200));
    p.drawRect(QRectF(x - 24, r.top() + 1, w + 26, 14));
    p.setPen(colour::quiet);
    p.drawText(QRectF(x, r.top() + 1, w + 2, 14), Qt::AlignVCenter, text);
    p.setPen(pen);
    p.drawLine(QPointF(x - 21, r.top() + 8), QPointF(x - 5, r.top() + 8));
    x -= 34;
  };
  entry("developed", QPen(colour::moon, 1.7));
  if (session_.document.decisions().deflicker.on)
    entry("goal", QPen(colour::goal, 1, Qt::DashLine));
  entry("as shot", QPen(colour::shot, 1.1));
  p.setFont(font());
}

void Timeline::paint_camera(QPainter& p, const QRectF& r) const {
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
  QFont small = font();
  small.setPixelSize(9);
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
  constexpr double kStill = 12;
  const double room = r.height() - (3 - moving) * kStill;
  double top = r.top();
  bool first = true;
  for (int k = 0; k < 3; ++k) {
    const bool moves = high[k] - low[k] > 1e-9;
    const double h = !moves        ? kStill
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
      const double x = x_of(static_cast<double>(i) - 0.5), y = y_of(frames[i]);
      const bool step = !before || rows[k].stops(*before) != rows[k].stops(frames[i]);
      if (!before) path.moveTo(x, y);
      if (step) {
        if (before) path.lineTo(x, y_of(*before));
        path.lineTo(x, y);
      }
      // What holds at the left edge is named there.
      if (named ? step : x_of(static_cast<double>(i) + 0.5) > r.left()) {
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
    if (before) path.lineTo(x_of(static_cast<double>(frames.size()) - 0.5), y_of(*before));
    p.setPen(QPen(colour::faint, 1.2));
    p.setBrush(Qt::NoBrush);
    p.save();
    p.setClipRect(r);
    p.drawPath(path);
    for (const auto& l : labels) {
      const double w = p.fontMetrics().horizontalAdvance(l.text);
      // Above the stair where there is room, else below.
      const double y = !moves                       ? band.center().y() - 5.5
                       : l.y - 12 >= band.top() - 1 ? l.y - 12
                                                    : std::min(l.y + 1.5, band.bottom() - 10);
      const QRectF box(l.x, y, w, 11);
      p.fillRect(box.adjusted(-1, 1, 1, -1), QColor(0x1f, 0x1f, 0x20, 200));
      p.setPen(colour::quiet);
      p.drawText(box, Qt::AlignCenter, l.text);
    }
    p.restore();
  }
  p.setFont(font());
}

void Timeline::paint_marks(QPainter& p, const QRectF& r) const {
  const auto& s = session_.document.shoot().sequence;
  const auto& d = session_.document.decisions();
  const double y = r.center().y();
  p.setPen(QPen(QColor(0x3d, 0x3d, 0x3e), 1));
  p.drawLine(QPointF(std::max(r.left(), x_of(0)), y),
             QPointF(std::min(r.right(), x_of(session_.document.shoot().frame_count() - 1)), y));
  // Gaps are notches: the line is cut, with the number of frames that are missing.
  QFont small = font();
  small.setPixelSize(9);
  p.setFont(small);
  for (const auto& g : s.gaps) {
    const double x = x_of(g.after + 0.5);
    if (x < r.left() || x > r.right()) continue;
    p.fillRect(QRectF(x - 3, y - 3, 6, 6), QColor(0x1f, 0x1f, 0x20));
    p.setPen(QPen(colour::coral, 1.3));
    p.drawLine(QPointF(x - 5, y - 6), QPointF(x - 2, y + 1));
    p.drawLine(QPointF(x - 2, y + 1), QPointF(x + 2, y + 1));
    p.drawLine(QPointF(x + 2, y + 1), QPointF(x + 5, y - 6));
    p.drawText(QRectF(x - 30, y + 3, 60, 10), Qt::AlignCenter,
               QString("%1 missing").arg(g.missing));
  }
  // Frames set aside are hatched, those that cannot be used in coral; a line below says that the
  // film has a made picture there.
  for (int i = 0; i < session_.document.shoot().frame_count(); ++i) {
    const bool aside = is_set_aside(d, i), usable = s.frames[i].usable();
    if (usable && !aside) continue;
    const QRectF box(x_of(i - 0.5), r.top() + 2, std::max(3.0, x_of(i + 0.5) - x_of(i - 0.5)),
                     r.height() - 4);
    p.fillRect(box, QBrush(usable ? colour::shot : colour::coral, Qt::BDiagPattern));
    const auto film = film_frame_at(session_.document.shoot(), i);
    if (aside && film && film->made())
      p.fillRect(QRectF(box.left(), r.bottom() - 2.5, box.width(), 2.5), colour::moon);
  }
  // Suspects that nobody has looked at: a small flag on a stem.
  for (const auto& suspect : session_.light.suspects()) {
    const double x = x_of(suspect.frame);
    if (!session_.checking.is_open(suspect) || x < r.left() || x > r.right()) continue;
    p.setPen(QPen(colour::coral, 1.2));
    p.drawLine(QPointF(x, r.top() + 2), QPointF(x, r.bottom() - 2));
    QPainterPath flag(QPointF(x, r.top() + 2));
    flag.lineTo(x + 7, r.top() + 5.5);
    flag.lineTo(x, r.top() + 9);
    p.fillPath(flag, colour::coral);
  }
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& k : d.keys) {
    const double x = x_of(k.frame);
    if (x < r.left() - 6 || x > r.right() + 6) continue;
    const bool here = k.frame == session_.playhead.frame();
    p.setPen(QPen(here ? colour::text : QColor(0x1f, 0x1f, 0x20), 1.2));
    p.setBrush(colour::moon);
    p.drawEllipse(QPointF(x, y), here ? 6.5 : 5.5, here ? 6.5 : 5.5);
  }
  p.setFont(font());
}

void Timeline::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), colour::panel);
  for (int i = 0; i < 3; ++i) {
    const QRectF r = lane(i);
    p.fillRect(r, QColor(0x1f, 0x1f, 0x20));
    p.setPen(colour::quiet);
    p.drawText(QRectF(8, r.top(), kGutter - 12, i == 0 ? 20 : r.height()),
               Qt::AlignLeft | (i == 0 ? Qt::AlignTop : Qt::AlignVCenter), kNames[i]);
  }
  if (!session_.document.is_open()) return;
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF all(lane(0).left(), kTop[0], lane(0).width(), kTop[2] + kHeight[2] - kTop[0]);
  for (int f : session_.playhead.selection())
    p.fillRect(QRectF(x_of(f - 0.5), all.top(), x_of(f + 0.5) - x_of(f - 0.5), all.height())
                   .intersected(all),
               QColor(240, 220, 154, 26));
  const auto& d = session_.document.decisions();
  p.save();
  p.setClipRect(QRectF(kGutter, 0, width() - kGutter - 8.0, height()));
  paint_marks(p, lane(2));
  p.restore();
  paint_light(p, lane(0));
  paint_camera(p, lane(1));
  // What lies outside the film is veiled.
  const int last = session_.document.shoot().frame_count() - 1, out = d.out < 0 ? last : d.out;
  auto veil = [&](double a, double b) {
    if (b > a)
      p.fillRect(QRectF(a, all.top(), b - a, all.height()).intersected(all),
                 QBrush(QColor(0, 0, 0, 140)));
  };
  if (d.in > 0) veil(x_of(0), x_of(d.in - 0.5));
  if (out < last) veil(x_of(out + 0.5), x_of(last));
  const double x = std::round(x_of(session_.playhead.frame())) + 0.5;
  if (x >= all.left() - 1 && x <= all.right() + 1) {
    p.setPen(QPen(colour::moon, 1));
    p.drawLine(QPointF(x, all.top() - 3), QPointF(x, all.bottom()));
    p.setPen(Qt::NoPen);
    p.setBrush(colour::moon);
    p.drawEllipse(QPointF(x, all.top() - 3), 3.5, 3.5);
  }
}

void Timeline::mousePressEvent(QMouseEvent* e) {
  if (!session_.document.is_open() || e->button() != Qt::LeftButton) return;
  if (!session_.light.known() && !session_.light.measuring() && lane(0).contains(e->position()))
    return session_.light.measure_again();
  press_x_ = e->position().x();
  selecting_ = false;
  session_.playhead.select({});
  session_.playhead.set_frame(frame_at(press_x_));
  update();
}

void Timeline::mouseMoveEvent(QMouseEvent* e) {
  if (!session_.document.is_open()) return;
  const double x = e->position().x();
  if (press_x_ >= 0) {
    // From the lanes a drag selects; along the top edge it moves the playhead.
    if (!selecting_ && std::fabs(x - press_x_) > 5 && e->position().y() > kTop[0] + 4)
      selecting_ = true;
    if (selecting_) {
      const int a = frame_at(press_x_), b = frame_at(x);
      std::vector<int> frames;
      for (int f = std::min(a, b); f <= std::max(a, b); ++f) frames.push_back(f);
      session_.playhead.select(std::move(frames));
    } else {
      session_.playhead.set_frame(frame_at(x));
    }
    update();
  }
}

void Timeline::mouseReleaseEvent(QMouseEvent*) { press_x_ = -1, selecting_ = false; }

void Timeline::wheelEvent(QWheelEvent* e) {
  if (!session_.document.is_open()) return;
  const double n = std::max(1, session_.document.shoot().frame_count() - 1);
  const double at = std::clamp(first_ + (e->position().x() - lane(0).left() - kInset) /
                                            (lane(0).width() - 2 * kInset) * (last_ - first_),
                               first_, last_);
  if (e->modifiers() & Qt::ShiftModifier ||
      std::abs(e->angleDelta().x()) > std::abs(e->angleDelta().y())) {
    const int delta = e->angleDelta().x() ? e->angleDelta().x() : e->angleDelta().y();
    const double by = std::clamp(-delta / 1200.0 * (last_ - first_), -first_, n - last_);
    first_ += by, last_ += by;
  } else {
    const double k = e->angleDelta().y() > 0 ? 0.8 : 1.25;
    const double width = std::clamp((last_ - first_) * k, std::min(8.0, n), n);
    first_ = std::clamp(at - (at - first_) * width / (last_ - first_), 0.0, n - width);
    last_ = first_ + width;
  }
  update();
}

bool Timeline::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip && session_.document.is_open()) {
    auto* help = static_cast<QHelpEvent*>(e);
    if (help->pos().x() >= kGutter) {
      const int i = frame_at(help->pos().x());
      const auto& f = session_.document.shoot().sequence.frames[i];
      QString text = QString("Frame %1 · %2 · %3\n%4, f/%5, ISO %6")
                         .arg(i + 1)
                         .arg(shown_path(f.file), QString::fromStdString(format_clock(f.time)),
                              QString::fromStdString(format_shutter(f.shutter)))
                         .arg(f.aperture)
                         .arg(f.iso);
      const auto measured = static_cast<int>(session_.light.plan().as_shot.size());
      if (i < measured && !std::isnan(session_.light.plan().as_shot[i]))
        text += QString("\nas shot %1, levelling %2, deflicker %3 stops")
                    .arg(session_.light.plan().as_shot[i], 0, 'f', 2)
                    .arg(session_.light.plan().level_correction[i], 0, 'f', 2)
                    .arg(session_.light.plan().flicker_correction[i], 0, 'f', 3);
      if (!f.usable()) text += "\n" + QString::fromStdString(f.problem);
      QToolTip::showText(help->globalPos(), text, this);
      return true;
    }
  }
  return QWidget::event(e);
}

}  // namespace tsukimi::app
