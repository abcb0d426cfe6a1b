// SPDX-License-Identifier: GPL-3.0-or-later
// The rail at the far left: one drawer open at a time, in working order. A dot says that something
// there wants attention.
#pragma once

#include <QIcon>
#include <QWidget>
#include <vector>

namespace tsukimi::app {

class Rail : public QWidget {
  Q_OBJECT
 public:
  explicit Rail(QWidget* parent = nullptr);
  void add(const QString& label, const QString& icon);
  void set_current(int index);
  int current() const { return current_; }
  void set_attention(int index, bool on);
  bool attention(int index) const { return entries_[index].attention; }
  QRect entry_rect(int i) const { return {0, 6 + i * 60, width(), 56}; }

 signals:
  void chosen(int index);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void leaveEvent(QEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }

 private:
  struct Entry {
    QString label;
    QIcon icon;
    bool attention = false;
  };
  std::vector<Entry> entries_;
  int current_ = 0, hover_ = -1;
};

}  // namespace tsukimi::app
