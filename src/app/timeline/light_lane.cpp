// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/timeline/light_lane.h"

#include <QMenu>
#include <QPainterPath>
#include <cmath>

#include "app/timeline/trace.h"
#include "app/widgets/style.h"
#include "document/light_edit.h"

namespace tsukimi::app {
// Brightness after everything that counts in stops: corrections and the exposure of the look.
std::vector<double> LightLane::developed() const {
  std::vector<double> out = session_.light.plan().deflickered;
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] += session_.document.course().at(Param::exposure, static_cast<int>(i));
  return out;
}

// In the middle of the range of the other lines; where it is larger than that, made smaller.
std::vector<double> LightLane::stair(double low, double high) const {
  std::vector<double> out = session_.light.plan().stair;
  double least = 1e9, most = -1e9;
  for (double v : out)
    if (!std::isnan(v)) least = std::min(least, v), most = std::max(most, v);
  constexpr double kRoom = 0.8;  // of the range
  const double scale = std::min(1.0, kRoom * (high - low) / std::max(most - least, 1e-9));
  for (double& v : out) v = (low + high) / 2 + scale * (v - (least + most) / 2);
  return out;
}

constexpr double kSpark = 5, kSparkReach = 8;  // pixels

const Suspect* LightLane::event_at(QPointF at, const QRectF& r, const TimeScale& scale) const {
  if (at.y() < r.bottom() - 3 * kSparkReach) return nullptr;
  for (const Suspect& s : session_.light.suspects())
    if (is_event(s.kind) && std::fabs(scale.x_of(s.frame) - at.x()) < kSparkReach) return &s;
  return nullptr;
}

// A spark at the foot of the lane: whole where the event is kept, hollow where some of it is taken
// out; in words where there is room.
void LightLane::paint_events(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const QFont normal = p.font();
  QFont small = normal;
  small.setPixelSize(text_px(9));
  p.setFont(small);
  double free_from = r.left();
  for (const Suspect& s : session_.light.suspects()) {
    const double x = scale.x_of(s.frame);
    if (!is_event(s.kind) || is_set_aside(session_.document.shoot(), s.frame) || x < r.left() ||
        x > r.right())
      continue;
    const QPointF middle(x, r.bottom() - kSpark - 2);
    const double share = softened_share(session_.document.shoot(), s.frame);
    QPolygonF spark;
    for (int i = 0; i < 8; ++i) {
      const double a = i * 3.14159265 / 4, length = i % 2 ? 0.35 * kSpark : kSpark;
      spark << middle + length * QPointF(std::sin(a), -std::cos(a));
    }
    p.setPen(QPen(colour::moon, 1.1));
    p.setBrush(share > 0 ? QBrush(colour::ground) : QBrush(colour::moon));
    p.drawPolygon(spark);
    const QString words = share > 0 ? tr("softened") : tr("kept");
    const double w = p.fontMetrics().horizontalAdvance(words);
    if (x + kSpark + 3 < free_from || x + kSpark + 3 + w > r.right()) continue;
    p.setPen(colour::quiet);
    p.drawText(QRectF(x + kSpark + 3, r.bottom() - text_px(12), w + 2, text_px(11)),
               Qt::AlignVCenter, words);
    free_from = x + kSpark + 6 + w + 2 * kSpark;
  }
  p.setFont(normal);
}

bool LightLane::menu(QPointF at, QPoint on_screen, const QRectF& r, const TimeScale& scale) {
  const Suspect* event = event_at(at, r, scale);
  if (!event) return false;
  const int frame = event->frame;
  const double now = softened_share(session_.document.shoot(), frame);
  auto* choices = new QMenu;
  choices->setObjectName("event_menu");
  choices->setAttribute(Qt::WA_DeleteOnClose);
  const std::pair<QString, double> shares[] = {{tr("Keep it as it is"), 0},
                                               {tr("Soften it by a quarter"), 0.25},
                                               {tr("Soften it by half"), 0.5},
                                               {tr("Soften it by three quarters"), 0.75}};
  for (const auto& [text, share] : shares) {
    auto* action = choices->addAction(text);
    action->setCheckable(true);
    action->setChecked(share == now);
    QObject::connect(action, &QAction::triggered, &session_.document, [this, frame, share = share] {
      session_.document.edit(tr("Soften an event"), [&](Shoot& s) { soften(s, frame, share); });
    });
  }
  choices->popup(on_screen);
  return true;
}

QString LightLane::tip(QPointF at, const QRectF& r, const TimeScale& scale) const {
  const Suspect* event = event_at(at, r, scale);
  if (!event) return {};
  const double share = softened_share(session_.document.shoot(), event->frame);
  return tr("Frame %1: %2. %3 The right button of the mouse has a choice.")
      .arg(event->frame + 1)
      .arg(QString::fromStdString(event->reason))
      .arg(share > 0 ? tr("Softened by %1 %.").arg(100 * share, 0, 'f', 0) : tr("Kept."));
}

void LightLane::paint_tones(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  const int n = session_.document.shoot().frame_count();
  const int a = std::max(0, static_cast<int>(std::floor(scale.first - 0.5))),
            b = std::min(n - 1, static_cast<int>(std::ceil(scale.last + 0.5)));
  if (b < a) return;
  // A pixel of the picture is a frame and a tone; long shoots have more frames than the lane
  // pixels.
  const int every = std::max(1, static_cast<int>((b - a + 1) / r.width()));
  constexpr int kBins = ToneColumn::kBins;
  QImage columns((b - a) / every + 1, kBins, QImage::Format_ARGB32_Premultiplied);
  columns.fill(Qt::transparent);
  p.save();
  p.setClipRect(r);
  std::vector<QRectF> lost;
  for (int x = 0; x < columns.width(); ++x) {
    const int frame = a + x * every;
    const ToneColumn* tones = session_.tones.at(frame);
    if (!tones) continue;
    for (int k = 0; k < kBins; ++k) {
      const float share = tones->spread[static_cast<std::size_t>(k)];
      // The tenth part of a picture in one tone is as bright as it gets.
      if (share <= 0) continue;
      const float strength = std::min(1.0f, std::sqrt(share * 10.0f));
      const int grey = 80 + 150 * k / kBins, alpha = static_cast<int>(200 * strength + 0.5f);
      reinterpret_cast<QRgb*>(columns.scanLine(kBins - 1 - k))[x] =
          qPremultiply(qRgba(grey, grey, grey, alpha));
    }
    // As long as much is lost; the least that matters is a pixel.
    const double left = scale.x_of(frame - 0.5), width = scale.x_of(frame - 0.5 + every) - left;
    auto edge = [&](float share, bool top) {
      if (share < 0.0005f) return;
      const double h = std::clamp(std::sqrt(static_cast<double>(share)) * 0.25 * r.height(), 1.0,
                                  r.height() / 4);
      lost.emplace_back(left, top ? r.top() : r.bottom() - h, width, h);
    };
    edge(tones->clipped, true);
    edge(tones->black, false);
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(
      QRectF(scale.x_of(a - 0.5), r.top(),
             scale.x_of(a - 0.5 + columns.width() * every) - scale.x_of(a - 0.5), r.height()),
      columns);
  p.setPen(Qt::NoPen);
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setBrush(colour::coral);
  for (const QRectF& bar : lost) p.drawRect(bar);
  p.restore();
}

void LightLane::paint(QPainter& p, const QRectF& r, const TimeScale& scale) const {
  if (session_.tones.on()) paint_tones(p, r, scale);
  if (!session_.light.known()) {
    p.setPen(colour::quiet);
    p.drawText(r, Qt::AlignCenter,
               session_.light.measuring()
                   ? tr("The brightness curve appears when the light has been measured.")
                   : tr("The light has not been measured. Click here to measure it."));
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
  if (session_.document.decisions().deflicker.on) span(light.goal);
  if (low > high) return;
  const double pad = std::max(0.15, 0.04 * (high - low));
  low -= pad, high += pad;
  // A quiet line every stop (or two, or five), named at the left.
  const double every = high - low > 14 ? 5 : high - low > 6 ? 2 : 1;
  const QFont normal = p.font();
  QFont small = normal;
  small.setPixelSize(text_px(9));
  p.setFont(small);
  for (double v = std::ceil(low / every) * every; v < high; v += every) {
    const double y = r.bottom() - 4 - (v - low) / (high - low) * (r.height() - 8);
    p.setPen(QPen(QColor(0x2e, 0x2e, 0x2f), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(colour::quiet);
    p.drawText(QRectF(r.left() - text_px(34), y - text_px(6), text_px(34) - 4, text_px(12)),
               Qt::AlignRight | Qt::AlignVCenter,
               QString::number(v, 'f', 0).replace('-', QChar(0x2212)));
  }
  p.setFont(normal);
  const Trace trace{p, r, scale, low, high};
  const bool steps = !light.level.steps.empty();
  const QPen stair_pen(colour::faint, 1, Qt::DotLine);
  if (steps) trace.draw(stair(low, high), stair_pen);
  trace.draw(light.as_shot, QPen(colour::shot, 1.1));
  if (session_.document.decisions().deflicker.on)
    trace.draw(light.goal, QPen(colour::goal, 1, Qt::DashLine));
  trace.draw(after, QPen(colour::moon, 1.7));
  // Legend: what the lines are, in words.
  QFont f = normal;
  f.setPixelSize(text_px(10));
  p.setFont(f);
  const double line = text_px(14);
  double x = r.right() - 4;
  auto entry = [&](const QString& text, const QPen& pen) {
    const double w = p.fontMetrics().horizontalAdvance(text);
    x -= w;
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x1f, 0x1f, 0x20, 200));
    p.drawRect(QRectF(x - 24, r.top() + 1, w + 26, line));
    p.setPen(colour::quiet);
    p.drawText(QRectF(x, r.top() + 1, w + 2, line), Qt::AlignVCenter, text);
    p.setPen(pen);
    p.drawLine(QPointF(x - 21, r.top() + 1 + line / 2), QPointF(x - 5, r.top() + 1 + line / 2));
    x -= 34;
  };
  entry(tr("developed"), QPen(colour::moon, 1.7));
  if (session_.document.decisions().deflicker.on)
    entry(tr("goal"), QPen(colour::goal, 1, Qt::DashLine));
  entry(tr("as shot"), QPen(colour::shot, 1.1));
  if (steps) entry(tr("camera"), stair_pen);
  paint_events(p, r, scale);
}

}  // namespace tsukimi::app
