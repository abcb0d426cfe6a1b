// SPDX-License-Identifier: GPL-3.0-or-later
// Exporting the shoot that is open: jobs for the queue, and how they ended.
//
// Lives in the window's thread.
#pragma once

#include <map>

#include "app/state/document.h"
#include "app/state/export_queue.h"

namespace tsukimi::app {

class Exports : public QObject {
  Q_OBJECT
 public:
  Exports(Document& document, ExportQueue& queue, Notices& notices);

  ExportQueue& queue() { return queue_; }
  // What is decided now, for the queue.
  void start(bool overwrite);
  // The merged frames, before look, light and framing.
  void start_merged(FileFormat format);
  void start_last_frame();  // as a picture
  // Of the shoot that is open: one is on its way, waits or runs.
  bool running() const;
  // Of the shoot that is open, how the last one ended.
  const std::optional<QueuedJob>& last() const { return last_; }
  // Frames that the last one could not read are made from their neighbours; then it goes on.
  void fill_holes();

 signals:
  void finished();

 private:
  void add(const ExportJob& job);
  void end(int id);

  Document& document_;
  ExportQueue& queue_;
  Notices& notices_;
  std::map<int, quint64> shoots_;  // whose jobs they are that were added here
  bool adding_ = false;
  std::optional<QueuedJob> last_;
  quint64 shoot_serial_ = 0;
};

}  // namespace tsukimi::app
