// SPDX-License-Identifier: GPL-3.0-or-later
// The shoot that is open, and undo. Every change of what was decided goes through edit(), every
// change of what is known of the frames through learn(); everybody else listens.
//
// Lives in the window's thread. Work in the background gets copies of the shoot.
#pragma once

#include <QObject>
#include <QTimer>
#include <QUndoStack>
#include <filesystem>
#include <memory>
#include <optional>

#include "app/state/notices.h"
#include "app/state/task.h"
#include "document/courses.h"
#include "document/files/shoot_file.h"

namespace tsukimi::app {

class Document : public QObject {
  Q_OBJECT
 public:
  Document(TaskList& tasks, Notices& notices);
  ~Document() override;

  bool is_open() const { return shoot_.has_value(); }
  const Shoot& shoot() const { return *shoot_; }
  const Decisions& decisions() const { return shoot_->decisions; }
  const Courses& courses() const { return *courses_; }
  const Course& course() const { return courses_->look; }
  QUndoStack& undo() { return undo_; }
  bool has_unsaved() const { return is_open() && !undo_.isClean(); }
  // Absolute; empty for a folder that was never saved.
  const std::filesystem::path& file() const { return file_; }
  // What names it: the file, or the folder of frames that was never saved.
  const std::filesystem::path& path() const {
    return file_.empty() ? shoot_->sequence.folder : file_;
  }
  QString name() const;

  // What copies are held against when they come back: version() grows with every change of what
  // frames look like, order_serial() with every shoot and every order of its frames, shoot_serial()
  // with the shoot.
  quint64 version() const { return version_; }
  quint64 order_serial() const { return order_serial_; }
  quint64 shoot_serial() const { return shoot_serial_; }

  void take(Shoot shoot, const std::filesystem::path& file);
  // In the background; `then` hears whether it is on the disk. What is changed meanwhile stays
  // unsaved.
  // replace: an older version that was read from there, or whatever shoot stands there. When
  // somebody else has changed the file, it is not touched, and changed_elsewhere() says so.
  void save(const std::filesystem::path& file, std::function<void(bool)> then = {},
            Replace replace = Replace::what_was_read);
  bool saving() const { return is_running(saving_); }
  void forget_unsaved();  // what was kept of it for after a crash

  using Change = std::function<void(Shoot&)>;
  // One undoable change of the decisions. Changes of the same gesture (a drag, what is typed into a
  // field) that follow each other become one; a gesture is any text that names it.
  void edit(const QString& text, const Change& change, const QString& gesture = {});
  void start_over();
  // What was found out about the frames: no undo takes it back.
  void learn(const Change& change);
  // New frames behind the others.
  void append(std::vector<FrameInfo> frames);

 signals:
  void opened();        // another shoot is there, or its frames are in another order
  void changed();       // decisions, or what is known of the frames
  void frames_added();  // by a camera that is still shooting
  void saved();
  void changed_elsewhere(const QString& file);

 private:
  friend class DecisionsCommand;
  void apply(const Decisions& decisions);
  void autosave();
  std::vector<std::filesystem::path> autosaves_to_discard(const std::filesystem::path& file);

  TaskList& tasks_;
  Notices& notices_;
  std::optional<Shoot> shoot_;
  std::unique_ptr<Courses> courses_;
  std::filesystem::path file_;
  quint64 version_ = 0, order_serial_ = 0, shoot_serial_ = 0;
  QUndoStack undo_;
  QTimer autosave_;
  TaskPtr autosaving_, saving_;
  std::function<void()> save_next_;  // asked for while one was being written
  bool autosave_failed_ = false;
  // To be removed when what is being written is written.
  std::vector<std::filesystem::path> stale_autosaves_;
};

// "a/b/" and "./a/b" are the same folder, and have the same name.
std::filesystem::path whole_path(const std::filesystem::path& path);

// The decisions of work on a shoot file, or on a folder (file empty), that was never saved: when
// they are newer than the file and differ from it. Reads a file: nothing for the window's thread.
std::optional<Decisions> unsaved_work(const std::filesystem::path& file, const Shoot& shoot);

}  // namespace tsukimi::app
