// SPDX-License-Identifier: GPL-3.0-or-later
// Opening a folder or a shoot in the background, up to the moment when the document takes it.
//
// Lives in the window's thread.
#pragma once

#include <QImage>

#include "app/state/document.h"
#include "camera/sensor_frame.h"
#include "folder/sequence.h"

namespace tsukimi::app {

struct Found;  // what a background task opened

// One opening. What belongs to it, such as the first picture that is shown while metadata is still
// being read, dies with it.
struct Opening {
  TaskPtr task;
  QImage first_look;
};

class Opener : public QObject {
  Q_OBJECT
 public:
  Opener(Document& document, TaskList& tasks, Notices& notices);

  // A folder of frames or a .tsukimi file; a frame stands for its folder. A folder with several
  // sequences, or with raw and still pictures of the same shots, is offered by sequences_found().
  void open(const std::filesystem::path& path, Pairs pairs = Pairs::raw);
  // A .tsukimi file as it stands on the disk: what was done here since is let go.
  void open_as_saved(const std::filesystem::path& file);
  // These frames of a folder, as one sequence; none: all of them.
  void open_part(std::shared_ptr<const FolderScan> scan, const std::vector<int>& frames);
  void give_up();
  bool opening() const { return opening_ != nullptr; }
  // While something is being opened: a picture of it, if there is one yet.
  QImage first_look() const { return opening_ ? opening_->first_look : QImage(); }
  // How that picture is read; tests make it slow.
  std::function<Result<SensorFrame>(const std::filesystem::path&)> first_reader = read_frame;

 signals:
  void opening_changed();  // begun, with a first look, or ended
  // Unsaved work was found, and is what is open now; undo shows what was saved.
  void restored();
  void sequences_found(std::shared_ptr<const FolderScan> scan);

 private:
  void start(const std::filesystem::path& path, Pairs pairs, bool with_unsaved);
  void finish(Found& found, const std::filesystem::path& file);
  void end();
  void show_first(const std::filesystem::path& file, std::weak_ptr<Opening> opening);

  Document& document_;
  TaskList& tasks_;
  Notices& notices_;
  std::shared_ptr<Opening> opening_;
};

}  // namespace tsukimi::app
