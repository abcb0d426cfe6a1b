// SPDX-License-Identifier: GPL-3.0-or-later
// The queue of exports: a folder of the user's that the window and the command line share. Who adds
// or changes something holds it for a moment; whoever runs it (run_queue.h) is one at a time.
#pragma once

#include "base/file_lock.h"
#include "base/table.h"
#include "output/export_job.h"

namespace tsukimi {

enum class JobState { waiting, running, paused, done, failed, cancelled };
constexpr Words<JobState> kJobStates{{{JobState::waiting, "waiting"},
                                      {JobState::running, "running"},
                                      {JobState::paused, "paused"},
                                      {JobState::done, "done"},
                                      {JobState::failed, "failed"},
                                      {JobState::cancelled, "cancelled"}}};

struct QueuedJob {
  int id = 0;        // given when it is added, never again
  std::string name;  // of the shoot
  ExportJob job;     // with all its places
  JobState state = JobState::waiting;
  bool interrupted = false;   // it waits because whoever made it was killed; not kept
  int frames = 0;             // of the film that it makes
  int made = 0;               // frames that were developed when it last ended, and ...
  double seconds = 0;         // ... the time that this took
  int written = 0, kept = 0;  // frames, in files and films; kept: they were there already
  std::string problem;        // a sentence, when something went wrong
  bool in_the_way = false;    // that something is there which it may not replace
  std::vector<int> lacking;   // numbers of frames that no film has
  bool ended() const { return state > JobState::paused; }
};

// How far the job that runs is.
struct QueueProgress {
  int id = 0;
  std::string step;  // "exporting"
  int done = 0, total = 0;
  double fps = 0;            // frames that are made a second; 0: not known yet
  double seconds_left = -1;  // below 0: not known yet
};

class Queue {
 public:
  explicit Queue(std::filesystem::path folder) : folder_(std::move(folder)) {}
  static std::filesystem::path users_folder();  // empty without a home

  // In the order in which they run. A job that ran when its runner was killed waits again.
  Result<std::vector<QueuedJob>> list() const;
  // The shoot as it is now: what is decided later does not touch the job. Its number.
  Result<int> add(const Shoot& shoot, const std::string& name, const ExportJob& job);
  Result<void> pause(int id);
  Result<void> go_on(int id);  // one that is paused, or ended without being done
  Result<void> cancel(int id);
  Result<void> replace(int id);          // one that ended because something was in the way
  Result<void> move(int id, int place);  // among all, from 0
  Result<void> clear_ended();

  bool is_running() const;  // somebody is at it
  std::optional<QueueProgress> progress() const;
  std::filesystem::path picture() const { return folder_ / "frame.jpg"; }  // the last that was made

  const std::filesystem::path& folder() const { return folder_; }
  std::filesystem::path shoot_of(int id) const;

  // Under the queue's lock: reads, lets `how` change it, writes. For the runner.
  using Change = std::function<Result<void>(std::vector<QueuedJob>&)>;
  Result<void> change(const Change& how) const;

 private:
  struct Books {
    std::vector<QueuedJob> jobs;
    int next = 1;  // the number of the job that is added next
  };
  Result<Books> read() const;
  Result<void> change_books(const std::function<Result<void>(Books&)>& how) const;
  Result<void> set_state(int id, std::initializer_list<JobState> from, JobState to,
                         const char* cannot);
  std::filesystem::path folder_;
};

// Who runs the queue: holds it as long as it lives, also when it is killed.
class QueueRunner {
 public:
  static Result<QueueRunner> take(const Queue& queue);

 private:
  explicit QueueRunner(FileLock lock) : lock_(std::move(lock)) {}
  FileLock lock_;
};

// How long a job of so many frames will take, by those like it that were done; below 0: not known.
double estimated_seconds(const std::vector<QueuedJob>& known, const ExportJob& job, int frames);

}  // namespace tsukimi
