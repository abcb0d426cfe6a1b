// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/focus_guard.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractSpinBox>
#include <QComboBox>
#include <QKeyEvent>

namespace tsukimi::app {
namespace {

bool is_box(const QObject* o) {
  return qobject_cast<const QComboBox*>(o) || qobject_cast<const QAbstractSpinBox*>(o);
}

bool works_with(const QObject* o, const QKeyEvent& e) {
  const auto modifiers = e.modifiers() & ~Qt::KeypadModifier;
  if (qobject_cast<const QAbstractButton*>(o)) return e.key() == Qt::Key_Space && !modifiers;
  const auto* view = qobject_cast<const QAbstractItemView*>(o);
  if (!view && !is_box(o)) return false;
  const bool extends = view && view->selectionMode() == QAbstractItemView::ExtendedSelection;
  if (modifiers && !(extends && modifiers == Qt::ShiftModifier)) return false;
  switch (e.key()) {
    case Qt::Key_Space:
    case Qt::Key_Home:
    case Qt::Key_End:
    case Qt::Key_Left:
    case Qt::Key_Right:
    case Qt::Key_Up:
    case Qt::Key_Down:
    case Qt::Key_PageUp:
    case Qt::Key_PageDown:
      return true;
    default:
      return false;
  }
}

}  // namespace

bool FocusGuard::eventFilter(QObject* object, QEvent* event) {
  if (event->type() == QEvent::ShortcutOverride) {
    auto* key = static_cast<QKeyEvent*>(event);
    if (works_with(object, *key)) {
      key->accept();
      return true;
    }
  } else if (event->type() == QEvent::Wheel && is_box(object) &&
             !static_cast<QWidget*>(object)->hasFocus()) {
    event->ignore();  // what lies below scrolls
    return true;
  }
  return QObject::eventFilter(object, event);
}

}  // namespace tsukimi::app
