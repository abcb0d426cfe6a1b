// SPDX-License-Identifier: GPL-3.0-or-later
// The queue of exports, which the window shares.
#include <sys/resource.h>

#include <iostream>

#include "base/cache.h"
#include "base/parallel.h"
#include "base/text.h"
#include "cli/commands.h"
#include "cli/job_options.h"
#include "cli/notify.h"
#include "document/files/shoot_file.h"
#include "queue/run_queue.h"

namespace tsukimi::cli {
namespace {
using nlohmann::json;

Queue users() { return Queue(Queue::users_folder()); }

// What a job makes, a line each: "JPEG frames, 1920x1080, in /tmp/frames".
std::vector<std::string> words_of(const ExportJob& job) {
  auto pixels = [](const PixelSize& p) {
    if (p.long_edge > 0) return "long edge " + std::to_string(p.long_edge);
    return p.exact.width > 0 ? std::to_string(p.exact.width) + "x" + std::to_string(p.exact.height)
                             : std::string("all pixels");
  };
  std::vector<std::string> out;
  for (const auto& f : job.frames)
    out.push_back(std::string(info(f.format).label) + " frames, " + pixels(f.pixels) + ", in " +
                  f.folder);
  for (const auto& f : job.films)
    out.push_back(std::string(info(f.codec).label) + " film, " + pixels(f.pixels) + ", " + f.file);
  return out;
}

json json_of(const QueuedJob& j, const std::optional<QueueProgress>& now) {
  json places = json::array(), makes = json::array();
  for (const auto& f : j.job.frames) places.push_back(to_json_name(f.folder));
  for (const auto& f : j.job.films) places.push_back(to_json_name(f.file));
  for (const auto& what : words_of(j.job)) makes.push_back(to_json_name(what));
  json out{{"id", j.id},
           {"name", to_json_name(j.name)},
           {"state", kJobStates[j.state].name},
           {"frames", j.frames},
           {"places", places},
           {"makes", makes},
           {"problem", j.problem},
           {"lacking", j.lacking}};
  if (now && now->id == j.id && j.state == JobState::running)
    out["progress"] = {{"step", now->step},
                       {"done", now->done},
                       {"total", now->total},
                       {"fps", now->fps},
                       {"seconds_left", now->seconds_left}};
  return out;
}

Result<void> list_jobs(bool as_json) {
  const Queue queue = users();
  const auto jobs = queue.list();
  if (!jobs) return tl::unexpected(jobs.error());
  const auto now = queue.progress();
  json out = json::array();
  for (const QueuedJob& j : *jobs) {
    if (as_json) {
      out.push_back(json_of(j, now));
      continue;
    }
    std::cout << j.id << " " << kJobStates[j.state].name << " " << printable(j.name);
    if (now && now->id == j.id && j.state == JobState::running)
      std::cout << " " << now->step << " " << now->done << "/" << now->total;
    if (!j.problem.empty()) std::cout << ": " << printable(j.problem);
    std::cout << "\n";
    for (const auto& what : words_of(j.job)) std::cout << "    " << printable(what) << "\n";
  }
  if (as_json) std::cout << json{{"running", queue.is_running()}, {"jobs", out}}.dump(1) << "\n";
  return {};
}

Result<void> add_job(const JobOptions& o) {
  const auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  const auto id = users().add(*shoot, std::filesystem::path(o.file).stem().string(), o.job);
  if (!id) return tl::unexpected(id.error());
  std::cout << *id << "\n";
  return {};
}

struct RunOptions {
  bool notify = false, sound = false;
  std::string cache;
  int cache_gb = 0, threads = 0;  // 0: as usual
};

Result<void> run_all(const RunOptions& o) {
  if (!o.cache.empty() || o.cache_gb > 0)
    set_cache(o.cache, static_cast<std::uintmax_t>(o.cache_gb) << 30);
  std::optional<ThreadLimit> limit;
  if (o.threads > 0) limit.emplace(o.threads);
  // What a person works on meanwhile comes first.
  constexpr int kNice = 10;
  (void)setpriority(PRIO_PROCESS, 0, kNice);
  const auto end = run_queue(users(), {terminal_progress("exporting"), cancel_flag()});
  if (!end) return tl::unexpected(end.error());
  std::string said =
      std::to_string(end->done) + (end->done == 1 ? " export is" : " exports are") + " done";
  if (end->failed > 0) said += ", " + std::to_string(end->failed) + " not complete";
  std::cout << said << "\n";
  if (o.notify && end->done + end->failed > 0) notify_desktop("Tsukimi", said + ".", o.sound);
  if (end->failed > 0) return fail(said + ": queue list says why.");
  return {};
}

// What is done with one job, or with all for which it makes sense.
struct QueueChange {
  const char *name, *help;
  Result<void> (Queue::*change)(int);
  std::vector<JobState> from;
  std::function<bool(const QueuedJob&)> which = {};
};

void add_change(CLI::App& queue, Run& run, const QueueChange& what) {
  auto* c = queue.add_subcommand(what.name, what.help);
  auto id = std::make_shared<int>(0);
  c->add_option("ID", *id, "Number of the job; else all of them")->check(CLI::PositiveNumber);
  c->callback([=, &run] {
    run = [=]() -> Result<void> {
      Queue q = users();
      if (*id > 0) return (q.*what.change)(*id);
      const auto jobs = q.list();
      if (!jobs) return tl::unexpected(jobs.error());
      for (const QueuedJob& j : *jobs)
        if (std::ranges::find(what.from, j.state) != what.from.end() &&
            (!what.which || what.which(j)))
          if (auto ok = (q.*what.change)(j.id); !ok) return ok;
      return {};
    };
  });
}

}  // namespace

void add_queue(CLI::App& app, Run& run) {
  auto* queue = app.add_subcommand("queue", "The queue of exports, which the window shares.");
  queue->require_subcommand(1);
  {
    auto* c = queue->add_subcommand("list", "All jobs, in the order in which they run.");
    auto as_json = std::make_shared<bool>(false);
    c->add_flag("--json", *as_json, "As JSON on stdout");
    c->callback([as_json, &run] { run = [as_json] { return list_jobs(*as_json); }; });
  }
  {
    auto* c = queue->add_subcommand("add", "Put an export behind the others: add film FILE …");
    c->require_subcommand(1);
    add_job_options(*c, [&run](const JobOptions& o) { run = [o] { return add_job(o); }; });
  }
  {
    auto* c = queue->add_subcommand("run", "Work on the queue until nothing waits.");
    auto o = std::make_shared<RunOptions>();
    c->add_flag("--notify", o->notify, "Tell the desktop when it has ended");
    c->add_flag("--sound", o->sound, "... with a sound");
    c->add_option("--cache", o->cache, "Folder of the cache; else the usual one");
    c->add_option("--cache-gb", o->cache_gb, "Its size")->check(CLI::PositiveNumber);
    c->add_option("--threads", o->threads, "At most so many; else all processors")
        ->check(CLI::PositiveNumber);
    c->callback([=, &run] { run = [=] { return run_all(*o); }; });
  }
  const QueueChange changes[] = {
      {"pause", "Let jobs rest.", &Queue::pause, {JobState::waiting, JobState::running}},
      {"go-on",
       "Let jobs go on that rest, failed or were cancelled.",
       &Queue::go_on,
       {JobState::paused, JobState::failed, JobState::cancelled}},
      {"replace",
       "Let jobs replace what was in their way.",
       &Queue::replace,
       {JobState::failed},
       [](const QueuedJob& j) { return j.in_the_way; }},
      {"cancel",
       "Take jobs out of the work; what is finished stays.",
       &Queue::cancel,
       {JobState::waiting, JobState::running, JobState::paused}}};
  for (const QueueChange& change : changes) add_change(*queue, run, change);
  {
    auto* c = queue->add_subcommand("move", "Another place among the jobs.");
    auto id = std::make_shared<int>(0), place = std::make_shared<int>(0);
    c->add_option("ID", *id, "Number of the job")->required()->check(CLI::PositiveNumber);
    c->add_option("PLACE", *place, "From 1")->required()->check(CLI::PositiveNumber);
    c->callback([=, &run] { run = [=] { return users().move(*id, *place - 1); }; });
  }
  {
    auto* c = queue->add_subcommand("clear", "Forget jobs that have ended.");
    c->callback([&run] { run = [] { return users().clear_ended(); }; });
  }
}

}  // namespace tsukimi::cli
