#include "output/develop_pass.h"

#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>

namespace tsukimi {

Result<ExportPlan> plan_export(const Shoot& shoot, const LightPlan& light, ExportRange range) {
  const std::vector<FilmFrame> film = film_frames(shoot);
  const int count = static_cast<int>(film.size());
  if (count == 0) return fail("There are no frames to export.");
  const int last = range.last < 0 ? count - 1 : range.last;
  if (range.first < 0 || range.first > last || last >= count)
    return fail("The frames " + std::to_string(range.first) + "-" + std::to_string(last) +
                " are not all in the film, which has frames 0-" + std::to_string(count - 1) + ".");
  const Course course = course_of(shoot);
  const Placement placement = film_placement(shoot);
  ExportPlan plan{{}, count};
  for (int k = range.first; k <= last; ++k)
    plan.frames.push_back({k + 1, film_recipe(shoot, course, light, film[k], placement)});
  return plan;
}

namespace {

struct Job {
  const PlannedFrame* frame;
  std::vector<Sink*> sinks;  // that do not have it
};

// One frame on its way: as read, then as what the sinks made of it.
struct Frame {
  const Job* job;
  Result<std::vector<SensorFrame>> takes = fail("");
  std::vector<Sink::Rest> rests = {};
};

}  // namespace

void develop_pass(const ExportPlan& plan, std::span<Sink* const> sinks, const Work& work) {
  std::vector<Job> jobs;
  for (const auto& frame : plan.frames) {
    Job job{&frame, {}};
    std::ranges::copy_if(sinks, std::back_inserter(job.sinks),
                         [&](const Sink* s) { return !s->has(frame.number); });
    if (!job.sinks.empty()) jobs.push_back(std::move(job));
  }
  const int total = static_cast<int>(plan.frames.size());
  int done = total - static_cast<int>(jobs.size());
  work.report(done, total);
  constexpr auto one_by_one = tbb::filter_mode::serial_in_order;
  std::size_t next = 0;
  auto is_over = [&] {
    return next == jobs.size() || work.stop() ||
           std::ranges::all_of(sinks, [](const Sink* s) { return s->broken(); });
  };
  using Token = std::shared_ptr<Frame>;
  tbb::parallel_pipeline(
      3, tbb::make_filter<void, Token>(one_by_one, [&](tbb::flow_control& flow) -> Token {
           if (is_over()) {
             flow.stop();
             return {};
           }
           const Job& job = jobs[next++];
           return std::make_shared<Frame>(Frame{&job, read_takes(job.frame->recipe)});
         }) & tbb::make_filter<Token, Token>(one_by_one, [&](Token frame) {
           if (!frame->takes || work.stop()) return frame;
           // Isolated: a thread that waits for its rows takes no other frame meanwhile.
           tbb::this_task_arena::isolate([&] {
             const PlannedFrame& what = *frame->job->frame;
             const Image picture = develop_film_frame(std::move(*frame->takes), what.recipe);
             for (Sink* sink : frame->job->sinks)
               frame->rests.push_back(sink->put(what.number, what.recipe, picture));
           });
           return frame;
         }) & tbb::make_filter<Token, void>(one_by_one, [&](const Token& frame) {
           if (work.stop()) return;
           if (!frame->takes)
             for (Sink* sink : frame->job->sinks)
               sink->miss(frame->job->frame->number, frame->takes.error());
           for (const auto& rest : frame->rests) rest();
           work.report(++done, total);
         }));
}

}  // namespace tsukimi
