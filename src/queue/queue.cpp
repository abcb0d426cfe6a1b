// SPDX-License-Identifier: GPL-3.0-or-later
#include "queue/queue.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "base/text.h"
#include "base/user_folders.h"
#include "document/files/saved_file.h"
#include "document/files/shoot_file.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr SavedKind kQueue{"tsukimi queue", "queue of exports", 1};
constexpr const char *kFile = "queue.json", *kProgress = "progress.json",
                     *kRunning = ".running.lock";

json to_json(const QueuedJob& j) {
  return {{"id", j.id},
          {"name", to_json_name(j.name)},
          {"state", kJobStates[j.state].name},
          {"frames", j.frames},
          {"made", j.made},
          {"seconds", j.seconds},
          {"written", j.written},
          {"kept", j.kept},
          {"problem", j.problem},
          {"in_the_way", j.in_the_way},
          {"lacking", j.lacking},
          {"job", to_json(j.job)}};
}

QueuedJob read_job(const Fields& f) {
  QueuedJob out;
  out.id = f.whole("id", 1, 1 << 30);
  out.name = from_json_name(f.text("name"));
  out.state = f.choice("state", kJobStates);
  out.frames = f.whole("frames", 0, 10'000'000);
  out.made = f.whole("made", 0, 10'000'000);
  out.seconds = f.number("seconds", 0, 1e9);
  out.written = f.whole("written", 0, 10'000'000);
  out.kept = f.whole("kept", 0, 10'000'000);
  out.problem = f.text("problem");
  out.in_the_way = f.flag("in_the_way");
  for (const auto& n : f.list("lacking"))
    if (n.is_number_integer()) out.lacking.push_back(n);
  out.job = read_export_job(f.object("job"));
  return out;
}

Result<QueuedJob*> find(std::vector<QueuedJob>& jobs, int id) {
  const auto at = std::ranges::find(jobs, id, &QueuedJob::id);
  if (at == jobs.end()) return fail("There is no job " + std::to_string(id) + " in the queue.");
  return &*at;
}

}  // namespace

fs::path Queue::users_folder() {
  const fs::path data = data_folder();
  return data.empty() ? data : data / "queue";
}

fs::path Queue::shoot_of(int id) const { return folder_ / (std::to_string(id) + ".tsukimi"); }

Result<Queue::Books> Queue::read() const {
  Books out;
  std::error_code ec;
  if (folder_.empty() || !fs::exists(folder_ / kFile, ec)) return out;
  const auto ok = read_saved(folder_ / kFile, kQueue, [&](const Fields& f) {
    for (const auto& one : f.list("jobs"))
      out.jobs.push_back(read_job(Fields(one, f.name("jobs"))));
    if (f.has("next")) out.next = f.whole("next", 1, 1 << 30);
    for (const QueuedJob& j : out.jobs) out.next = std::max(out.next, j.id + 1);
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

bool Queue::is_running() const { return FileLock::is_held(folder_ / kRunning); }

Result<std::vector<QueuedJob>> Queue::list() const {
  auto books = read();
  if (!books) return tl::unexpected(books.error());
  if (!is_running())
    for (QueuedJob& j : books->jobs)
      if (j.state == JobState::running) {
        j.state = JobState::waiting;
        j.interrupted = true;
      }
  return books->jobs;
}

Result<void> Queue::change(const Change& how) const {
  return change_books([&](Books& books) { return how(books.jobs); });
}

Result<void> Queue::change_books(const std::function<Result<void>(Books&)>& how) const {
  if (folder_.empty()) return fail("There is no place for a queue: this user has no home.");
  std::error_code ec;
  fs::create_directories(folder_, ec);
  const auto lock = FileLock::take(folder_ / ".queue.lock", Share::alone, true);
  if (!lock) return tl::unexpected(lock.error());
  auto books = read();
  if (!books) return tl::unexpected(books.error());
  if (auto ok = how(*books); !ok) return ok;
  json list = json::array();
  for (const QueuedJob& j : books->jobs) list.push_back(to_json(j));
  return write_saved(folder_ / kFile, kQueue, {{"jobs", list}, {"next", books->next}});
}

Result<int> Queue::add(const Shoot& shoot, const std::string& name, const ExportJob& given) {
  const ExportJob job = with_places(given, shoot);
  if (job.frames.empty() && job.films.empty())
    return fail("Nothing is to be made: choose frames or a film.");
  QueuedJob added;
  added.name = name;
  added.job = job;
  added.frames = film_length(shoot);
  if (job.range.last >= 0) added.frames = job.range.last - job.range.first + 1;
  const auto ok = change_books([&](Books& books) -> Result<void> {
    std::error_code ec;
    while (fs::exists(shoot_of(books.next), ec)) ++books.next;
    added.id = books.next++;
    fs::create_directories(folder_, ec);
    if (auto saved = save_shoot(shoot, shoot_of(added.id)); !saved)
      return tl::unexpected(saved.error());
    books.jobs.push_back(added);
    return {};
  });
  if (!ok) return tl::unexpected(ok.error());
  return added.id;
}

Result<void> Queue::set_state(int id, std::initializer_list<JobState> from, JobState to,
                              const char* cannot) {
  return change([&](std::vector<QueuedJob>& jobs) -> Result<void> {
    const auto job = find(jobs, id);
    if (!job) return tl::unexpected(job.error());
    if (std::ranges::find(from, (*job)->state) == from.end())
      return fail("Job " + std::to_string(id) + " is " + kJobStates[(*job)->state].name + " and " +
                  cannot + ".");
    (*job)->state = to;
    return {};
  });
}

Result<void> Queue::pause(int id) {
  return set_state(id, {JobState::waiting, JobState::running}, JobState::paused,
                   "cannot be paused");
}

Result<void> Queue::go_on(int id) {
  return set_state(id, {JobState::paused, JobState::failed, JobState::cancelled}, JobState::waiting,
                   "need not be told to go on");
}

Result<void> Queue::cancel(int id) {
  return set_state(id, {JobState::waiting, JobState::running, JobState::paused},
                   JobState::cancelled, "cannot be cancelled");
}

Result<void> Queue::replace(int id) {
  return change([&](std::vector<QueuedJob>& jobs) -> Result<void> {
    const auto job = find(jobs, id);
    if (!job) return tl::unexpected(job.error());
    if (!(*job)->in_the_way)
      return fail("Nothing is in the way of job " + std::to_string(id) + ".");
    (*job)->job.overwrite = true;
    (*job)->in_the_way = false;
    (*job)->state = JobState::waiting;
    return {};
  });
}

Result<void> Queue::move(int id, int place) {
  return change([&](std::vector<QueuedJob>& jobs) -> Result<void> {
    const auto found = find(jobs, id);
    if (!found) return tl::unexpected(found.error());
    const QueuedJob job = **found;
    jobs.erase(jobs.begin() + (*found - jobs.data()));
    jobs.insert(jobs.begin() + std::clamp(place, 0, static_cast<int>(jobs.size())), job);
    return {};
  });
}

Result<void> Queue::clear_ended() {
  return change([&](std::vector<QueuedJob>& jobs) -> Result<void> {
    std::error_code ec;
    for (const QueuedJob& j : jobs)
      if (j.ended()) fs::remove(shoot_of(j.id), ec);
    std::erase_if(jobs, [](const QueuedJob& j) { return j.ended(); });
    return {};
  });
}

std::optional<QueueProgress> Queue::progress() const {
  if (!is_running()) return {};
  const auto bytes = read_file(folder_ / kProgress, 1u << 16);
  if (!bytes) return {};
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  try {
    const Fields f(j, "");
    return QueueProgress{f.whole("id", 0, 1 << 30),      f.text("step"),
                         f.whole("done", 0, 10'000'000), f.whole("total", 0, 10'000'000),
                         f.number("fps", 0, 1e6),        f.number("seconds_left", -1, 1e9)};
  } catch (const FieldError&) {
    return {};
  }
}

Result<QueueRunner> QueueRunner::take(const Queue& queue) {
  if (queue.folder().empty()) return fail("There is no queue: this user has no home.");
  std::error_code ec;
  fs::create_directories(queue.folder(), ec);
  auto lock = FileLock::take(queue.folder() / kRunning, Share::alone);
  if (!lock && lock.error().code == ErrorCode::exists)
    return fail("The queue is being worked on already.", ErrorCode::exists);
  if (!lock) return tl::unexpected(lock.error());
  return QueueRunner(std::move(*lock));
}

namespace {

// What takes the time of a job, but for its frames' number.
std::string kinds_of(const ExportJob& job) {
  std::string out;
  for (const auto& f : job.frames)
    out += std::string(info(f.format).name) + " " + std::to_string(f.pixels.exact.width) + " " +
           std::to_string(f.pixels.long_edge) + ";";
  for (const auto& f : job.films)
    out += std::string(info(f.codec).name) + " " + std::to_string(f.pixels.exact.width) + " " +
           std::to_string(f.pixels.long_edge) + ";";
  return out;
}

}  // namespace

double estimated_seconds(const std::vector<QueuedJob>& known, const ExportJob& job, int frames) {
  constexpr int kEnough = 10;
  for (auto j = known.rbegin(); j != known.rend(); ++j)
    if (j->made >= kEnough && kinds_of(j->job) == kinds_of(job))
      return j->seconds / j->made * frames;
  return -1;
}

}  // namespace tsukimi
