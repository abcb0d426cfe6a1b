// SPDX-License-Identifier: GPL-3.0-or-later
// The real window with a small simulated shoot, and hands to work it with.
#pragma once

#include <gtest/gtest.h>

#include <QApplication>
#include <QDir>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QStandardPaths>
#include <QStatusBar>
#include <QTest>

#include "app/main_window.h"
#include "app/widgets/style.h"
#include "base/file.h"
#include "document/files/shoot_file.h"
#include "film/film.h"

#include "support.h"

namespace tsukimi::app {
namespace fs = std::filesystem;
using test::SmallShoot;
using test::TempDir;

inline const SmallShoot& harbour() {
  static const SmallShoot shoot([] {
    sim::CameraOptions c;
    c.frames = 48;
    c.seed = 53;
    return c;
  }());
  return shoot;
}

class Window : public ::testing::Test {
 protected:
  TempDir dir;
  std::unique_ptr<MainWindow> w;
  Session* session = nullptr;

  void SetUp() override {
    QSettings().clear();
    QSettings().setValue("hints/seen", true);
    test::own_folders.clear(
        fs::path(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString()) /
        "autosave");
    clear_queue();
    w = std::make_unique<MainWindow>();
    w->resize(1280, 800);
    w->may_drop_changes = [] { return true; };
    session = &w->session();
    w->show();
  }
  virtual void clear_queue() { test::own_folders.clear(Queue::users_folder()); }
  void TearDown() override {
    if (!w) return;
    exports().cancel_all();
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
          exports().look();
          return !exports().running() && !exports().changing();
        },
        30000));
  }
  ExportQueue& exports() { return session->exports.queue(); }
  // Until the shoot's export has ended; how it did.
  QueuedJob exported() {
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
          return session->exports.last().has_value() && !session->exports.running() &&
                 !exports().running();
        },
        60000));
    return session->exports.last().value_or(QueuedJob{});
  }
  bool settled() {
    return QTest::qWaitFor(
        [&] {
          return session->document.is_open() && session->light.known() && session->tasks.idle() &&
                 w->picture().shown().is_as_asked();
        },
        30000);
  }
  void open(const fs::path& path = harbour().folder) {
    w->open(path);
    ASSERT_TRUE(settled());
  }
  void save(const fs::path& file) {
    session->document.save(file);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !session->document.saving(); }, 10000));
  }
  template <typename T>
  T* find(const char* name) {
    T* widget = w->findChild<T*>(name);
    EXPECT_NE(widget, nullptr) << name;
    return widget;
  }
  void click(QWidget* widget, QPoint at = {}) {
    QTest::mouseClick(widget, Qt::LeftButton, {}, at.isNull() ? widget->rect().center() : at);
  }
  void toggle(const char* name) {
    auto* box = find<QCheckBox>(name);
    QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(10, box->height() / 2));
  }
  void drag(QWidget* widget, QPoint from, QPoint to) {
    QTest::mousePress(widget, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 5; ++i) {
      const QPoint at = from + (to - from) * i / 5;
      QMouseEvent move(QEvent::MouseMove, at, widget->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                       {});
      QApplication::sendEvent(widget, &move);
    }
    QTest::mouseRelease(widget, Qt::LeftButton, {}, to);
  }
  void key(Qt::Key k, Qt::KeyboardModifiers m = {}) {
    w->picture().setFocus();
    QTest::keyClick(&w->picture(), k, m);
  }
  void hold(Qt::Key k) {
    w->picture().setFocus();
    QTest::keyPress(&w->picture(), k);
  }
  void let_go(Qt::Key k) { QTest::keyRelease(&w->picture(), k); }
  // Mean green of what the picture shows.
  double brightness() {
    (void)w->picture().grab();  // what is ready may not have been painted yet
    const QImage i = w->picture().shown().picture().image;
    double sum = 0;
    for (int y = 0; y < i.height(); y += 3)
      for (int x = 0; x < i.width(); x += 3) sum += qGreen(i.pixel(x, y));
    return sum / ((i.height() + 2) / 3) / ((i.width() + 2) / 3);
  }
};

}  // namespace tsukimi::app
