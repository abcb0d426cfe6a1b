// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/develop_pass.h"

#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>

#include "base/copy.h"
#include "base/memory.h"
#include "film/trails.h"
#include "output/trail_run.h"

namespace tsukimi {

Result<ExportPlan> plan_export(const Shoot& shoot, const LightPlan& light, ExportRange range,
                               Size size) {
  const Courses courses = courses_of(shoot);
  const int count = courses.film.count();
  if (count == 0) return fail("There are no frames to export.");
  const int last = range.last < 0 ? count - 1 : range.last,
            first = range == ExportRange::last_frame() ? last : range.first;
  if (first < 0 || first > last || last >= count)
    return fail("The frames " + std::to_string(first) + "-" + std::to_string(last) +
                " are not all in the film, which has frames 0-" + std::to_string(count - 1) + ".");
  ExportPlan plan;
  plan.film = count, plan.size = size;
  const auto frame = [&](int k) {
    return PlannedFrame{k + 1,
                        film_recipe(shoot, courses, light, courses.film[k], export_view(size))};
  };
  for (int k = first; k <= last; ++k) plan.frames.push_back(frame(k));
  plan.end = plan.frames.size();
  const Trails& trails = shoot.decisions.trails;
  if (trails.kind == TrailKind::none) return plan;
  plan.falls_back = trails.falls_back;
  if (trails.falls_back)
    for (int k = count - 1; k > last; --k) plan.lead.push_back(frame(k));
  else
    for (int k = 0; k < first; ++k) plan.lead.push_back(frame(k));
  if (trails.ground == TrailGround::frame) plan.ground = frame(ground_number(shoot, courses));
  std::vector<FilmRecipe*> in_order;
  for (PlannedFrame& f : plan.lead) in_order.push_back(&f.recipe);
  const std::size_t before = in_order.size();
  for (PlannedFrame& f : plan.frames) in_order.push_back(&f.recipe);
  if (trails.falls_back)
    std::reverse(in_order.begin() + static_cast<std::ptrdiff_t>(before), in_order.end());
  link_trails(in_order, plan.ground ? &plan.ground->recipe : nullptr);
  return plan;
}

void take_part(ExportPlan& plan, ExportPart part, int unit) {
  const auto n = plan.frames.size(), each = static_cast<std::size_t>(unit),
             units = (n + each - 1) / each, count = static_cast<std::size_t>(part.count);
  const auto border = [&](int parts) {
    return std::min(n, units * static_cast<std::size_t>(parts) / count * each);
  };
  plan.part = part;
  plan.begin = border(part.index - 1);
  plan.end = border(part.index);
}

namespace {

// A frame that is developed: for sinks that lack it, or only for the trails of those behind it.
struct Job {
  std::vector<const PlannedFrame*> frames;  // of each route
  std::vector<std::vector<Sink*>> sinks;    // of each route, those that do not have it
  std::size_t place = 0;                    // in the order of trails
  bool is_wanted() const {
    return std::ranges::any_of(sinks, [](const auto& of_route) { return !of_route.empty(); });
  }
};

// One frame on its way: as read, then as what the sinks made of it.
struct Frame {
  const Job* job;
  Result<std::vector<SensorFrame>> takes = fail("");
  std::string sources = {};
  std::vector<Sink::Rest> rests = {};
};

// Checksums of the originals; of one that is gone meanwhile, nothing.
std::string sources_of(const FilmRecipe& recipe) {
  std::string out;
  for (const Take& t : recipe.takes) {
    const auto& [folder, info, merge] = t.picture.source;
    const auto add = [&, &files = folder](const FrameInfo& f) {
      const auto sum = file_checksum(files / f.file);
      out += (out.empty() ? "" : " ") + sum.value_or("-");
    };
    add(info);
    if (info.is_merged()) std::ranges::for_each(info.others, add);
  }
  return out;
}

// The light was measured in the files of the plan: another picture under such a name is no part of
// it.
Result<std::vector<SensorFrame>> read_takes_as_planned(const FilmRecipe& recipe) {
  if (auto ok = check_sources(recipe); !ok) return tl::unexpected(ok.error());
  auto takes = read_takes(recipe);
  // What areas are filled with from time is read here too, and known from then on.
  FilmRecipe filled = recipe;
  if (auto ok = read_other_frames(filled); !ok) return tl::unexpected(ok.error());
  return takes;
}

// A frame of the plan, with the sinks that lack it.
Job job_of(std::span<const Route> routes, std::size_t index) {
  Job job;
  for (const Route& route : routes) {
    const PlannedFrame& frame = route.plan.frames[index];
    job.frames.push_back(&frame);
    auto& sinks = job.sinks.emplace_back();
    if (route.plan.makes(index))
      std::ranges::copy_if(route.sinks, std::back_inserter(sinks),
                           [&](const Sink* s) { return !s->has(frame.number); });
  }
  return job;
}

std::vector<Job> jobs_of(std::span<const Route> routes) {
  std::vector<Job> out;
  const ExportPlan& plan = routes.front().plan;
  for (std::size_t k = plan.begin; k < plan.end; ++k)
    if (Job job = job_of(routes, k); job.is_wanted()) out.push_back(std::move(job));
  return out;
}

// Those whose trails lead to what lacks too.
std::vector<Job> jobs_of(std::span<const Route> routes, TrailRun& trails) {
  std::vector<Job> out;
  std::size_t first = trails.count(), last = 0;
  for (std::size_t place = 0; place < trails.count(); ++place) {
    Job job;
    if (trails.is_lead(place)) {
      job.sinks.resize(routes.size());
      for (std::size_t r = 0; r < routes.size(); ++r) job.frames.push_back(&trails.at(r, place));
    } else {
      job = job_of(routes, trails.index(place));
    }
    job.place = place;
    if (job.is_wanted()) first = std::min(first, place), last = place;
    out.push_back(std::move(job));
  }
  if (first == trails.count()) return {};
  out.resize(last + 1);
  out.erase(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(trails.go_on_before(first)));
  return out;
}

// One is read, one developed, one written; more are read while memory lasts.
std::size_t frames_at_once(const ExportPlan& plan) {
  constexpr std::size_t kFewestAtOnce = 3;
  const Size size = plan.frames.front().recipe.first().source.info.size;
  std::size_t takes = 1;
  for (const PlannedFrame& f : plan.frames) takes = std::max(takes, f.recipe.takes.size());
  const double bytes = 16.0 * static_cast<double>(takes) * size.width * size.height,
               room = static_cast<double>(free_memory()) / 4;
  const auto more = bytes > 0 ? static_cast<std::size_t>(std::min(room / bytes, 64.0)) : 0;
  const auto cores = static_cast<std::size_t>(tbb::this_task_arena::max_concurrency());
  return std::clamp(more, kFewestAtOnce, std::max(kFewestAtOnce, cores + 2));
}

// What happens to a frame once it is read.
class Developing {
 public:
  // last: the job that ends the pass.
  Developing(std::span<const Route> routes, TrailRun* trails, const Job& last,
             const OnPicture& seen)
      : routes_(routes), trails_(trails), last_(last), seen_(seen) {
    if (!trails || !falls_back()) return;
    for (const Route& route : routes) {
      const auto& all = route.plan.frames.front().recipe.trail->all_before;
      scratch_.push_back(
          std::make_unique<Scratch>("scratch " + all + " " + std::to_string(scratch_.size())));
    }
  }

  void take(Frame& frame) {
    const Job& job = *frame.job;
    if (!frame.takes) {
      if (trails_) trails_->miss(job.place);
    } else {
      std::size_t left = routes_.size();
      while (left > 0 && !is_needed(job, left - 1)) --left;
      for (std::size_t r = 0; r < left; ++r)
        if (is_needed(job, r)) take(frame, r, r + 1 == left);
    }
    if (!trails_) return;
    trails_->keep(job.place);
    if (falls_back() && !trails_->is_lead(job.place)) end_block(frame);
  }

 private:
  bool falls_back() const { return routes_.front().plan.falls_back; }
  bool is_needed(const Job& job, std::size_t route) const {
    return trails_ || !job.sinks[route].empty();
  }

  void take(Frame& frame, std::size_t r, bool is_last) {
    const Job& job = *frame.job;
    const PlannedFrame& what = *job.frames[r];
    FilmRecipe recipe = trails_ ? unfaded(what.recipe) : what.recipe;
    (void)read_other_frames(recipe);  // it succeeded when the frame was read
    Image picture = is_last ? develop_film_frame(std::move(*frame.takes), recipe)
                            : develop_film_frame(*frame.takes, recipe);
    if (trails_) {
      picture = finished(trails_->show(r, std::move(picture), recipe), what.recipe);
      if (job.sinks[r].empty()) return;
      if (falls_back()) {
        scratch_[r]->put(trails_->index(job.place), std::move(picture));
        sources_[trails_->index(job.place)] = frame.sources;
        return;
      }
    }
    for (Sink* sink : job.sinks[r])
      frame.rests.push_back(sink->put({what.number, what.recipe, picture, frame.sources}));
    if (seen_ && is_last) seen_(what.number, picture);
  }

  // A trail that falls back is made from the end: when the first frame of a block is there, or the
  // first of it that lacks, all of the block go to the sinks in the order of the film.
  void end_block(const Frame& frame) {
    const ExportPlan& plan = routes_.front().plan;
    constexpr std::size_t kLeast = 12;
    const auto unit = static_cast<std::size_t>(std::max(plan.unit, 1));
    const std::size_t block = (kLeast + unit - 1) / unit * unit,
                      index = trails_->index(frame.job->place);
    if (index < plan.begin || index >= plan.end) return;
    const std::size_t before = (index - plan.begin) % block;  // frames of the block before it
    if (before != 0 && frame.job != &last_) return;
    for (std::size_t k = index; k < std::min(index - before + block, plan.end); ++k) {
      const Job job = job_of(routes_, k);
      for (std::size_t r = 0; r < routes_.size(); ++r) {
        if (job.sinks[r].empty()) continue;
        const std::optional<Image> picture = scratch_[r]->take(k);
        if (!picture) continue;  // it could not be made, which its sinks know
        for (Sink* sink : job.sinks[r]) {
          const auto rest =
              sink->put({job.frames[r]->number, job.frames[r]->recipe, *picture, sources_[k]});
          if (rest.beside) rest.beside();
          if (rest.in_order) rest.in_order();
        }
        if (seen_) seen_(job.frames[r]->number, *picture);
      }
      sources_.erase(k);
    }
  }

  std::span<const Route> routes_;
  TrailRun* trails_;  // none: the film has none
  const Job& last_;
  const OnPicture& seen_;
  std::vector<std::unique_ptr<Scratch>> scratch_;  // of each route
  std::map<std::size_t, std::string> sources_;     // of frames in it
};

// Of all routes the ground that is that of one frame. Where it cannot be read, each frame's own
// stays, and the sinks are told with the frame itself.
void make_ground(std::span<const Route> routes, TrailRun& trails) {
  for (std::size_t r = 0; r < routes.size(); ++r)
    if (const auto& ground = routes[r].plan.ground)
      if (auto picture = develop_film_frame(unfaded(ground->recipe)))
        trails.set_ground(r, std::move(*picture));
}

}  // namespace

void develop_pass(std::span<const Route> routes, const Work& work, const OnPicture& on_picture) {
  const ExportPlan& plan = routes.front().plan;
  std::optional<TrailRun> trails;
  if (plan.frames.front().recipe.trail) trails.emplace(routes);
  const std::vector<Job> jobs = trails ? jobs_of(routes, *trails) : jobs_of(routes);
  const int wanted = static_cast<int>(std::ranges::count_if(jobs, &Job::is_wanted)),
            there = static_cast<int>(plan.end - plan.begin) - wanted,
            total = there + static_cast<int>(jobs.size());
  int done = there;
  work.report(done, total);
  if (jobs.empty()) return;
  if (trails) make_ground(routes, *trails);
  Developing developing(routes, trails ? &*trails : nullptr, jobs.back(), on_picture);
  auto is_broken = [](const Route& r) {
    return std::ranges::all_of(r.sinks, [](const Sink* s) { return s->broken(); });
  };
  constexpr auto one_by_one = tbb::filter_mode::serial_in_order;
  std::size_t next = 0;
  using Token = std::shared_ptr<Frame>;
  const auto begin = tbb::make_filter<void, Token>(one_by_one, [&](tbb::flow_control& flow) {
    if (next == jobs.size() || work.stop() || std::ranges::all_of(routes, is_broken)) {
      flow.stop();
      return Token();
    }
    return std::make_shared<Frame>(Frame{&jobs[next++]});
  });
  const auto read = tbb::make_filter<Token, Token>(tbb::filter_mode::parallel, [&](Token frame) {
    if (work.stop()) return frame;
    // Isolated, as below: a thread that waits for its rows takes no other frame meanwhile.
    tbb::this_task_arena::isolate([&] {
      const FilmRecipe& recipe = frame->job->frames.front()->recipe;
      frame->takes = read_takes_as_planned(recipe);
      if (frame->takes && frame->job->is_wanted()) frame->sources = sources_of(recipe);
      // Also what was read for the checksums.
      if (auto ok = check_sources(recipe); frame->takes && !ok)
        frame->takes = tl::unexpected(ok.error());
    });
    return frame;
  });
  const auto develop = tbb::make_filter<Token, Token>(one_by_one, [&](Token frame) {
    if (!work.stop()) tbb::this_task_arena::isolate([&] { developing.take(*frame); });
    return frame;
  });
  const auto beside = tbb::make_filter<Token, Token>(tbb::filter_mode::parallel, [&](Token frame) {
    if (work.stop()) return frame;
    tbb::this_task_arena::isolate([&] {
      for (const auto& rest : frame->rests)
        if (rest.beside) rest.beside();
    });
    return frame;
  });
  const auto finish = tbb::make_filter<Token, void>(one_by_one, [&](const Token& frame) {
    if (work.stop()) return;
    if (!frame->takes)
      for (std::size_t r = 0; r < routes.size(); ++r)
        for (Sink* sink : frame->job->sinks[r])
          sink->miss(frame->job->frames[r]->number, frame->takes.error());
    for (const auto& rest : frame->rests)
      if (rest.in_order) rest.in_order();
    work.report(++done, total);
  });
  tbb::parallel_pipeline(frames_at_once(plan), begin & read & develop & beside & finish);
  if (trails && !work.stop()) trails->forget();
}

}  // namespace tsukimi
