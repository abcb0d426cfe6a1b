// SPDX-License-Identifier: GPL-3.0-or-later
// The shoots that were open last, each with a picture of it.
//
// Lives in the window's thread; disks are asked in the background.
#pragma once

#include <QDate>
#include <QImage>
#include <QObject>
#include <filesystem>
#include <vector>

#include "app/state/task.h"

namespace tsukimi::app {

struct RecentShoot {
  std::filesystem::path path;  // of the file, or of a folder that was never saved
  QString name;
  int frames = 0;
  QDate shot;  // its first frame; not valid: unknown
  QImage picture;
  bool missing = false;
};

class Recent : public QObject {
  Q_OBJECT
 public:
  explicit Recent(TaskList& tasks);
  const std::vector<RecentShoot>& list() const { return list_; }  // the last first
  void remember(RecentShoot shoot);  // keeps the picture that is there, if it brings none
  void set_picture(const std::filesystem::path& path, const QImage& picture);
  void forget(const std::filesystem::path& path);
  // Reads the pictures, and looks which are still there.
  void look();

 signals:
  void changed();

 private:
  void save() const;
  RecentShoot* find(const std::filesystem::path& path);

  TaskList& tasks_;
  std::vector<RecentShoot> list_;
};

}  // namespace tsukimi::app
