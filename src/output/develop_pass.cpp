// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/develop_pass.h"

#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>

#include "base/copy.h"
#include "base/memory.h"

namespace tsukimi {

Result<ExportPlan> plan_export(const Shoot& shoot, const LightPlan& light, ExportRange range,
                               Size size) {
  const std::vector<FilmFrame> film = film_frames(shoot);
  const int count = static_cast<int>(film.size());
  if (count == 0) return fail("There are no frames to export.");
  const int last = range.last < 0 ? count - 1 : range.last;
  if (range.first < 0 || range.first > last || last >= count)
    return fail("The frames " + std::to_string(range.first) + "-" + std::to_string(last) +
                " are not all in the film, which has frames 0-" + std::to_string(count - 1) + ".");
  const Courses courses = courses_of(shoot);
  ExportPlan plan{{}, count, size, 0, 0, {}};
  for (int k = range.first; k <= last; ++k)
    plan.frames.push_back({k + 1, film_recipe(shoot, courses, light, film[k], export_view(size))});
  plan.end = plan.frames.size();
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

struct Job {
  std::size_t frame;                      // of every route's plan
  std::vector<std::vector<Sink*>> sinks;  // of each route, those that do not have it
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

std::vector<Job> jobs_of(std::span<const Route> routes) {
  std::vector<Job> out;
  const ExportPlan& plan = routes.front().plan;
  for (std::size_t k = plan.begin; k < plan.end; ++k) {
    Job job{k, {}};
    bool lacks = false;
    for (const Route& route : routes) {
      auto& sinks = job.sinks.emplace_back();
      std::ranges::copy_if(route.sinks, std::back_inserter(sinks),
                           [&](const Sink* s) { return !s->has(route.plan.frames[k].number); });
      lacks = lacks || !sinks.empty();
    }
    if (lacks) out.push_back(std::move(job));
  }
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

}  // namespace

void develop_pass(std::span<const Route> routes, const Work& work, const OnPicture& on_picture) {
  const std::vector<Job> jobs = jobs_of(routes);
  const ExportPlan& plan = routes.front().plan;
  const int total = static_cast<int>(plan.end - plan.begin);
  int done = total - static_cast<int>(jobs.size());
  work.report(done, total);
  if (jobs.empty()) return;
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
      const FilmRecipe& recipe = plan.frames[frame->job->frame].recipe;
      frame->takes = read_takes_as_planned(recipe);
      if (frame->takes) frame->sources = sources_of(recipe);
      // Also what was read for the checksums.
      if (auto ok = check_sources(recipe); frame->takes && !ok)
        frame->takes = tl::unexpected(ok.error());
    });
    return frame;
  });
  const auto develop = tbb::make_filter<Token, Token>(one_by_one, [&](Token frame) {
    if (!frame->takes || work.stop()) return frame;
    tbb::this_task_arena::isolate([&] {
      const auto& sinks = frame->job->sinks;
      std::size_t left = sinks.size();
      while (left > 0 && sinks[left - 1].empty()) --left;
      for (std::size_t r = 0; r < left; ++r) {
        if (sinks[r].empty()) continue;
        const PlannedFrame& what = routes[r].plan.frames[frame->job->frame];
        FilmRecipe recipe = what.recipe;
        (void)read_other_frames(recipe);  // it succeeded when the frame was read
        const Image picture = r + 1 == left ? develop_film_frame(std::move(*frame->takes), recipe)
                                            : develop_film_frame(*frame->takes, recipe);
        for (Sink* sink : sinks[r])
          frame->rests.push_back(sink->put({what.number, what.recipe, picture, frame->sources}));
        if (on_picture && r + 1 == left) on_picture(what.number, picture);
      }
    });
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
      for (const auto& sinks : frame->job->sinks)
        for (Sink* sink : sinks)
          sink->miss(plan.frames[frame->job->frame].number, frame->takes.error());
    for (const auto& rest : frame->rests)
      if (rest.in_order) rest.in_order();
    work.report(++done, total);
  });
  tbb::parallel_pipeline(frames_at_once(plan), begin & read & develop & beside & finish);
}

}  // namespace tsukimi
