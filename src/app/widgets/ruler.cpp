// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/ruler.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/convert/value_text.h"
#include "app/widgets/moon.h"
#include "app/widgets/style.h"

namespace tsukimi::app {

constexpr int kRunInset = 4;  // px beside the run: room for a disc on the first and last frame

Ruler::Ruler(Spec spec, QWidget* parent)
    : QWidget(parent), spec_(std::move(spec)), value_(spec_.preset) {
  setObjectName(spec_.name);
  setAccessibleName(spec_.unit.isEmpty() ? spec_.label : spec_.label + " " + spec_.unit);
  setAccessibleDescription(spec_.tip);
  setFocusPolicy(Qt::StrongFocus);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setMouseTracking(true);
  setToolTip(tr("%1\nFrom %2 to %3%4. Drag, wheel or type; double-click resets to %5.")
                 .arg(spec_.tip, format(spec_.min), format(spec_.max),
                      spec_.unit.isEmpty() ? "" : " " + spec_.unit, format(spec_.preset)));
}

QString Ruler::format(double v) const { return number_text(v, spec_.decimals, spec_.min < 0); }

void Ruler::set_value(double v) {
  if (v == value_) return;
  value_ = v;
  update();
}

void Ruler::set_course(Course course) {
  const bool had = has_run_;
  course_ = std::move(course);
  has_run_ = !course_.values.empty();
  if (had != has_run_) updateGeometry();
  update();
  if (!has_run_) return;
  const auto [low, high] = std::minmax_element(course_.values.begin(), course_.values.end());
  flat_ = *high - *low < 1e-9;
  // A value that never changes stays flat and quiet.
  const double least = (spec_.max - spec_.min) * 0.02;
  const double mid = (*low + *high) / 2, half = std::max((*high - *low) / 2, least);
  low_ = mid - half, high_ = mid + half;
}

void Ruler::set_playhead(int frame) {
  if (frame == playhead_) return;
  playhead_ = frame;
  if (has_run_) update();
}

QRect Ruler::scale_rect() const { return {0, text_px(17), width(), text_px(21)}; }
QRect Ruler::run_rect() const { return {0, scale_rect().bottom() + 2, width(), 15}; }
QRect Ruler::value_rect() const { return {width() - text_px(100), 0, text_px(100), text_px(17)}; }
QSize Ruler::sizeHint() const {
  return {240, has_run_ ? run_rect().bottom() + 4 : scale_rect().bottom() + 5};
}

// The width of the ruler shows two fifths of the range.
double Ruler::units_per_pixel() const {
  return (spec_.max - spec_.min) * 0.4 / std::max(width(), 1);
}

int Ruler::frame_at(int x) const {
  const int n = static_cast<int>(course_.values.size());
  return n < 2 ? 0
               : std::clamp(static_cast<int>(std::lround(static_cast<double>(x - kRunInset) /
                                                         (width() - 2 * kRunInset) * (n - 1))),
                            0, n - 1);
}

double Ruler::run_y(double v) const {
  const QRect r = run_rect();
  return r.bottom() - 3.5 - (v - low_) / (high_ - low_) * (r.height() - 7);
}

void Ruler::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  paint_names(p);
  paint_scale(p);
  paint_mark(p);
  if (has_run_) paint_run(p);
}

void Ruler::paint_names(QPainter& p) const {
  const bool on = isEnabled();
  p.setPen(on ? colour::text : colour::faint);
  p.drawText(QRect(0, 0, value_rect().left(), value_rect().height()),
             Qt::AlignLeft | Qt::AlignVCenter, spec_.label);
  if (!wedge_.isNull()) {
    const int left = text_px(84);  // all below each other
    p.drawImage(QRect(QPoint(left, (value_rect().height() - kWedge.height()) / 2 + 1), kWedge),
                wedge_);
  }
  const bool changed = std::fabs(value_ - spec_.preset) > 0.5 * std::pow(10, -spec_.decimals);
  p.setPen(!on ? colour::faint : changed ? colour::moon : colour::quiet);
  p.drawText(value_rect(), Qt::AlignRight | Qt::AlignVCenter,
             format(value_) + (spec_.unit.isEmpty() ? "" : " " + spec_.unit));
}

// The round number (1, 2 or 5 times a power of ten) from one tick to the next.
double Ruler::tick() const {
  constexpr double kApart = 9;  // px, about
  const double raw = units_per_pixel() * kApart, power = std::pow(10, std::floor(std::log10(raw)));
  return raw / power <= 2 ? 2 * power : raw / power <= 5 ? 5 * power : 10 * power;
}

// Ticks at round numbers, every fifth one long and labelled, fading to the edges; a hollow disc at
// the preset, where the value came from.
void Ruler::paint_scale(QPainter& p) const {
  const bool on = isEnabled();
  const QRect s = scale_rect();
  p.setPen(Qt::NoPen);
  p.setBrush(colour::ground);
  p.drawRoundedRect(s, 3, 3);
  p.save();
  p.setClipRect(s);
  QFont small = font();
  small.setPixelSize(text_px(9));
  p.setFont(small);
  const double upp = units_per_pixel(), step = tick(), centre = s.width() / 2.0;
  const auto first = static_cast<long>(std::ceil((value_ - centre * upp) / step)),
             last = static_cast<long>(std::floor((value_ + centre * upp) / step));
  for (long i = first; i <= last; ++i) {
    const double v = i * step;
    if (v < spec_.min - step * 1e-6 || v > spec_.max + step * 1e-6) continue;
    const double x = centre + (v - value_) / upp;
    const bool major = i % 5 == 0;
    const double fade = 1 - std::pow(std::fabs(x - centre) / centre, 2) * 0.75;
    QColor c = on ? colour::quiet : colour::faint;
    c.setAlphaF(c.alphaF() * fade * (major ? 1 : 0.6));
    p.setPen(QPen(c, 1));
    p.drawLine(QPointF(x, s.bottom() - 1), QPointF(x, s.bottom() - (major ? 9 : 5)));
    if (major && std::fabs(x - centre) > text_px(16)) paint_number(p, x, v);  // not under the mark
  }
  const double preset = centre + (spec_.preset - value_) / upp;
  p.setPen(QPen(on ? colour::text : colour::faint, 1));
  p.setBrush(Qt::NoBrush);
  p.drawEllipse(QPointF(preset, s.bottom() - 4), 2.2, 2.2);
  p.restore();
}

void Ruler::paint_number(QPainter& p, double x, double v) const {
  const QRect s = scale_rect();
  const int decimals = std::max(0, static_cast<int>(std::ceil(-std::log10(tick() * 5) - 1e-9)));
  QString text = QString::number(v, 'f', decimals);
  text.replace('-', QChar(0x2212));
  const double half = p.fontMetrics().horizontalAdvance(text) / 2.0;
  if (x - half > s.left() + 1 && x + half < s.right() - 1)  // half a number is another number
    p.drawText(QRectF(x - 40, s.top() + 1, 80, text_px(10)), Qt::AlignCenter, text);
}

// The fixed mark, and the frame of the ruler that has the keyboard.
void Ruler::paint_mark(QPainter& p) const {
  const QColor ink = isEnabled() ? colour::moon : colour::faint;
  const QRect s = scale_rect();
  const double centre = s.width() / 2.0;
  QPainterPath mark;
  mark.moveTo(centre - 5, s.top() - 1);
  mark.lineTo(centre + 5, s.top() - 1);
  mark.lineTo(centre, s.top() + 5);
  mark.closeSubpath();
  p.setPen(Qt::NoPen);
  p.setBrush(ink);
  p.drawPath(mark);
  p.setPen(QPen(ink, 1.2));
  p.drawLine(QPointF(centre, s.top() + 3), QPointF(centre, s.bottom()));
  if (!hasFocus()) return;
  p.setPen(QPen(colour::moon, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRoundedRect(QRectF(s).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
}

double Ruler::run_x(int frame) const {
  const int n = static_cast<int>(course_.values.size());
  return n < 2 ? run_rect().center().x()
               : kRunInset + static_cast<double>(frame) / (n - 1) * (width() - 2 * kRunInset);
}

void Ruler::paint_run(QPainter& p) const {
  const QColor ground(0x20, 0x20, 0x21);
  const QRect r = run_rect();
  p.setPen(Qt::NoPen);
  p.setBrush(ground);
  p.drawRoundedRect(r, 2, 2);
  QPainterPath path;
  for (int x = kRunInset; x <= width() - kRunInset; x += 2) {
    const double y = run_y(course_.values[frame_at(x)]);
    x == kRunInset ? path.moveTo(x, y) : path.lineTo(x, y);
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(flat_ ? colour::faint : colour::goal, flat_ ? 1 : 1.4));
  p.drawPath(path);
  p.setPen(QPen(colour::moon, 1));
  const double head = run_x(playhead_);
  p.drawLine(QPointF(head, r.top()), QPointF(head, r.bottom()));
  for (const auto& [k, easing] : course_.keys)
    paint_moon(p, {run_x(k), run_y(course_.values[k])}, 3.4, easing,
               k == playhead_ ? colour::moon : colour::text, ground);
}

void Ruler::edit(double v) {
  const double grain = std::pow(10, -spec_.decimals);
  v = std::clamp(std::round(v / grain) * grain, spec_.min, spec_.max);
  if (v == value_) return;
  set_value(v);
  emit edited(v, drag_serial_);
}

void Ruler::type_value() {
  // The Return that closes a field comes on to the ruler, as Qt has it: it opens no other.
  if (findChild<QLineEdit*>("typed")) return;
  editor_ = new QLineEdit(this);
  editor_->setObjectName("typed");
  editor_->setGeometry(value_rect().adjusted(10, -2, 0, 4));
  editor_->setText(QString::number(value_, 'f', spec_.decimals));
  editor_->setStyleSheet("padding: 0 4px; min-height: 14px;");
  editor_->selectAll();
  editor_->show();
  editor_->setFocus();
  connect(editor_, &QLineEdit::editingFinished, this, [this] {
    if (!editor_) return;
    QLineEdit* done = editor_;
    editor_ = nullptr;
    QString text = done->text().trimmed();
    text.replace(QChar(0x2212), '-').replace(',', '.');
    bool good = false;
    const double v = text.toDouble(&good);
    done->deleteLater();
    ++drag_serial_;
    if (good) edit(v);
    ++drag_serial_;  // what follows is another step
    setFocus();
  });
}

void Ruler::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  ++drag_serial_;
  drag_from_ = e->position();
  const QPoint at = e->position().toPoint();
  if (value_rect().contains(at)) {
    type_value();
  } else if (has_run_ && run_rect().adjusted(0, -2, 0, 6).contains(at)) {
    for (const auto& [k, easing] : course_.keys) {
      if (std::fabs(run_x(k) - at.x()) <= 5) {
        drag_ = Drag::key;
        drag_key_ = k;
        drag_value_ = course_.values[k];
        emit frame_clicked(k);
        return;
      }
    }
    emit frame_clicked(frame_at(at.x()));
  } else {
    drag_ = Drag::scale;
    drag_value_ = value_;
  }
}

void Ruler::mouseMoveEvent(QMouseEvent* e) {
  const QPointF at = e->position();
  if (drag_ == Drag::scale) {
    // The scale follows the hand: to the left is more. Shift moves finely.
    const double fine = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1.0;
    edit(drag_value_ - (at.x() - drag_from_.x()) * units_per_pixel() * fine);
  } else if (drag_ == Drag::key) {
    const double v =
        std::clamp(drag_value_ - (at.y() - drag_from_.y()) * (spec_.max - spec_.min) / 300,
                   spec_.min, spec_.max);
    const double grain = std::pow(10, -spec_.decimals);
    emit key_edited(drag_key_, std::round(v / grain) * grain, drag_serial_);
  } else {
    setCursor(scale_rect().contains(at.toPoint())   ? Qt::SizeHorCursor
              : value_rect().contains(at.toPoint()) ? Qt::IBeamCursor
                                                    : Qt::ArrowCursor);
  }
}

void Ruler::mouseReleaseEvent(QMouseEvent*) {
  drag_ = Drag::none;
  ++drag_serial_;
}

void Ruler::mouseDoubleClickEvent(QMouseEvent* e) {
  if (!scale_rect().contains(e->position().toPoint())) return;
  ++drag_serial_;
  edit(spec_.preset);
}

void Ruler::contextMenuEvent(QContextMenuEvent* e) {
  emit menu_wanted(e->reason() == QContextMenuEvent::Keyboard ? mapToGlobal(scale_rect().center())
                                                              : e->globalPos());
}

void Ruler::wheelEvent(QWheelEvent* e) {
  // Scrolling a drawer must not change numbers: the ruler has to have been chosen, and sideways is
  // not its direction.
  const QPoint turned = e->angleDelta();
  if (!hasFocus() || std::abs(turned.x()) >= std::abs(turned.y())) return e->ignore();
  e->accept();
  if ((wheel_ > 0) != (turned.y() > 0)) wheel_ = 0;
  wheel_ += turned.y();  // touchpads turn in small steps
  constexpr int kNotch = 120;
  const int notches = wheel_ / kNotch;
  wheel_ -= notches * kNotch;
  if (notches != 0) edit(value_ + notches * spec_.step);
}

void Ruler::keyPressEvent(QKeyEvent* e) {
  const double k = e->modifiers() & Qt::ShiftModifier ? 10 : 1;
  if (e->key() == Qt::Key_Up || e->key() == Qt::Key_Plus)
    edit(value_ + k * spec_.step);
  else if (e->key() == Qt::Key_Down || e->key() == Qt::Key_Minus)
    edit(value_ - k * spec_.step);
  else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    type_value();
  else
    QWidget::keyPressEvent(e);
}

}  // namespace tsukimi::app
