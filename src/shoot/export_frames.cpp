#include "shoot/export_frames.h"

#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <variant>

#include "develop/display.h"
#include "image/file.h"
#include "output/encode.h"
#include "output/name_pattern.h"
#include "shoot/export_manifest.h"
#include "shoot/film.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr int kFlushEvery = 16;  // frames that are made again at most when power fails

struct Job {
  std::string name, recipe;
  FilmRecipe film;
  bool ours = false;  // what stands under the name, if anything
};

// One frame on its way: as read, then as picture.
struct Frame {
  const Job* job;
  Result<FilmSource> source = fail("");
  std::variant<Encoded8, Encoded16> picture = {};
};

Result<void> write_picture(const fs::path& path, const Shoot& shoot, const Frame& frame,
                           IfExists if_exists) {
  const FilmRecipe& recipe = frame.job->film;
  const auto& frames = shoot.sequence.frames;
  const FilmFrame& film = recipe.film;
  const FrameInfo& info = frames[film.frame];
  const std::string note =
      film.made() ? "Made from " + frames[film.before].file + " and " + frames[film.after].file
                  : std::string();
  if (const auto* deep = std::get_if<Encoded16>(&frame.picture))
    return write_file(
        path, [&](int fd) { return write_tiff16(fd, *deep, info, note); }, if_exists, false);
  auto bytes = encode_jpeg(std::get<Encoded8>(frame.picture), shoot.decisions.output.quality)
                   .and_then([&](Bytes b) {
                     return with_metadata(std::move(b), info, recipe.settings.size, note);
                   });
  if (!bytes) return tl::unexpected(bytes.error());
  return write_file(path, *bytes, if_exists, false);
}

// Writes frames as they come and keeps the manifest true: a file is noted as made once it is on the
// disk.
class Writer {
 public:
  Writer(const Shoot& shoot, const fs::path& folder, bool overwrite, Manifest manifest,
         ExportReport& report)
      : shoot_(shoot),
        folder_(folder),
        overwrite_(overwrite),
        manifest_(std::move(manifest)),
        report_(report) {}

  bool broken() const { return broken_; }  // the target cannot be written: going on would fail too

  Result<void> announce(const std::vector<Job>& jobs) {
    for (const Job& job : jobs) manifest_[job.name] = {job.recipe, 0};
    return write_manifest(folder_, manifest_);
  }

  void write(const Frame& frame) {
    const Job& job = *frame.job;
    if (broken_) return;
    if (!frame.source) {
      report_.problems.push_back(frame.source.error().message + " Number " + job.name +
                                 " is left free for it.");
      manifest_.erase(job.name);
      return;
    }
    const bool replace = overwrite_ || job.ours;
    const auto written = write_picture(folder_ / job.name, shoot_, frame,
                                       replace ? IfExists::replace : IfExists::keep);
    if (!written) return fails(written.error().message);
    ++report_.written;
    waiting_.push_back(&job);
    if (static_cast<int>(waiting_.size()) >= kFlushEvery) flush();
  }

  // What was not made is announced no longer: a name that is free belongs to nobody.
  void finish() {
    if (broken_) return;
    std::erase_if(manifest_, [&](const auto& entry) {
      std::error_code ec;
      return entry.second.bytes == 0 && !fs::exists(folder_ / entry.first, ec);
    });
    flush();
  }

 private:
  void flush() {
    for (const Job* job : waiting_) {
      if (auto safe = sync_file(folder_ / job->name); !safe) return fails(safe.error().message);
      std::error_code ec;
      manifest_[job->name].bytes = fs::file_size(folder_ / job->name, ec);
    }
    waiting_.clear();
    if (auto ok = write_manifest(folder_, manifest_); !ok) fails(ok.error().message);
  }

  void fails(const std::string& why) {
    if (!broken_.exchange(true)) report_.problems.push_back(why);
  }

  const Shoot& shoot_;
  const fs::path folder_;
  const bool overwrite_;
  Manifest manifest_;
  ExportReport& report_;
  std::vector<const Job*> waiting_;
  std::atomic<bool> broken_{false};
};

// Reading, developing and writing at once, each one frame after the other; developing takes all
// cores that are free. No more than three frames are in memory, on any machine.
void run(const Shoot& shoot, const std::vector<Job>& jobs, Writer& writer, ExportReport& report,
         const Work& work) {
  const bool deep = shoot.decisions.output.format == FileFormat::tiff16;
  constexpr auto one_by_one = tbb::filter_mode::serial_in_order;
  std::size_t next = 0;
  int done = report.kept;
  using Token = std::shared_ptr<Frame>;
  tbb::parallel_pipeline(
      3, tbb::make_filter<void, Token>(one_by_one, [&](tbb::flow_control& flow) -> Token {
           if (next == jobs.size() || work.stop() || writer.broken()) {
             flow.stop();
             return {};
           }
           const Job& job = jobs[next++];
           return std::make_shared<Frame>(Frame{&job, read_film_frame(shoot, job.film)});
         }) & tbb::make_filter<Token, Token>(one_by_one, [&](Token frame) {
           if (!frame->source || work.stop()) return frame;
           // Isolated: a thread that waits for its rows takes no other frame meanwhile.
           tbb::this_task_arena::isolate([&] {
             const Image image = develop_film_frame(std::move(*frame->source), frame->job->film);
             if (deep)
               frame->picture = to_srgb16(image);
             else
               frame->picture = to_srgb8(image);
           });
           return frame;
         }) & tbb::make_filter<Token, void>(one_by_one, [&](const Token& frame) {
           if (work.stop()) return;
           writer.write(*frame);
           work.report(++done, report.total);
         }));
}

}  // namespace

Result<ExportReport> export_frames(const Shoot& shoot, const LightPlan& plan, ExportRange range,
                                   bool overwrite, const Work& work) {
  const ExportSettings& output = shoot.decisions.output;
  const std::vector<FilmFrame> film = film_frames(shoot);
  const int count = static_cast<int>(film.size());
  if (count == 0) return fail("There are no frames to export.");
  const int last = range.last < 0 ? count - 1 : range.last;
  if (range.first < 0 || range.first > last || last >= count)
    return fail("The frames " + std::to_string(range.first) + "-" + std::to_string(last) +
                " are not all in the film, which has frames 0-" + std::to_string(count - 1) + ".");
  if (auto ok = check_pattern(output.pattern, count); !ok) return tl::unexpected(ok.error());
  if (output.folder.empty()) return fail("No folder to export to was chosen.");
  const fs::path folder = fs::absolute(output.folder);
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (!fs::is_directory(folder))
    return fail("The folder " + folder.string() + " cannot be made: " + ec.message() + ".");
  if (fs::equivalent(folder, shoot.sequence.folder, ec))
    return fail(
        "Choose another folder than that of the raw frames; originals are never written to.");

  const LookCourse course(shoot);
  const Size size = output_size(shoot);
  Manifest manifest = read_manifest(folder);
  std::vector<Job> jobs;
  ExportReport report;
  report.total = last - range.first + 1;
  for (int k = range.first; k <= last; ++k) {
    Job job;
    job.name = numbered_name(output.pattern, k + 1) +
               (output.format == FileFormat::jpeg ? ".jpg" : ".tif");
    job.film = film_recipe(shoot, course, plan, film[k], size);
    job.recipe = export_recipe(shoot, job.film);
    const auto there = fs::file_size(folder / job.name, ec);
    if (!ec) {
      const auto made = manifest.find(job.name);
      const bool same = made != manifest.end() && made->second.recipe == job.recipe;
      if (same && there > 0 && made->second.bytes == there) {
        ++report.kept;
        continue;
      }
      job.ours = same && made->second.bytes == 0;
      if (!overwrite && !job.ours)
        return fail((folder / job.name).string() +
                    " is there already and was made from something else; nothing was written. "
                    "Choose another "
                    "folder or name, or ask for files to be replaced.");
    }
    jobs.push_back(std::move(job));
  }

  work.report(report.kept, report.total);
  if (!jobs.empty()) {
    Writer writer(shoot, folder, overwrite, std::move(manifest), report);
    if (auto ok = writer.announce(jobs); !ok) return tl::unexpected(ok.error());
    run(shoot, jobs, writer, report, work);
    writer.finish();
    if (writer.broken())
      report.problems.push_back(std::to_string(report.written + report.kept) + " of " +
                                std::to_string(report.total) + " frames are safe in " +
                                folder.string() + "; export again to go on from there.");
  }
  drop_spare_pixels();
  report.cancelled = work.stop();
  return report;
}

}  // namespace tsukimi
