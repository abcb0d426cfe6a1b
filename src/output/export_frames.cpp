#include "output/export_frames.h"

#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <chrono>
#include <variant>

#include "base/file.h"
#include "base/memory.h"
#include "base/text.h"
#include "develop/display.h"
#include "film/film.h"
#include "folder/originals.h"
#include "output/encode.h"
#include "output/export_manifest.h"
#include "output/folder_lock.h"
#include "output/name_pattern.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

// Files get their names together: one wait for the disk, and one manifest, for many.
constexpr int kFlushEvery = 16;
constexpr std::chrono::milliseconds kFlushAfter{2000};

struct Job {
  std::string name, recipe;
  FilmRecipe film;
  bool ours = false;  // what stands under the name was made from the same, but is damaged
};

// One frame on its way: as read, then as picture.
struct Frame {
  const Job* job;
  Result<std::vector<SensorFrame>> takes = fail("");
  std::variant<Encoded8, Encoded16> picture = {};
};

Result<StagedFile> write_picture(const fs::path& path, const ExportSettings& how,
                                 const Frame& frame) {
  const FilmRecipe& recipe = frame.job->film;
  // Of a made frame the capture's facts are its neighbour's, but for the moment.
  FrameInfo info = recipe.first().source.info;
  info.time = recipe.time;
  const std::string note = recipe.how == Composition::between
                               ? "Made from " + printable(info.file) + " and " +
                                     printable(recipe.takes[1].picture.source.info.file)
                               : std::string();
  if (const auto* deep = std::get_if<Encoded16>(&frame.picture))
    return StagedFile::write(path, [&](int fd) { return write_tiff16(fd, *deep, info, note); });
  auto bytes = encode_jpeg(std::get<Encoded8>(frame.picture), how.quality).and_then([&](Bytes b) {
    return with_metadata(std::move(b), info, recipe.first().placement.size, note);
  });
  if (!bytes) return tl::unexpected(bytes.error());
  return StagedFile::write(path, [&](int fd) { return write_all(fd, *bytes); });
}

// Writes frames as they come. A frame is made under no name, synced, noted in the manifest and only
// then given its name: whatever ends an export, what stands under a name is whole, and what the
// manifest does not know was not made here.
class Writer {
 public:
  Writer(const ExportSettings& how, const fs::path& folder, bool overwrite, Manifest manifest,
         ExportReport& report)
      : how_(how),
        folder_(folder),
        overwrite_(overwrite),
        manifest_(std::move(manifest)),
        report_(report) {}

  int left_free() const { return left_free_; }
  bool broken() const { return broken_; }  // the target cannot be written: going on would fail too

  void write(const Frame& frame) {
    if (broken_) return;
    if (!frame.takes) {
      report_.problems.push_back(frame.takes.error().message + " Number " +
                                 printable(frame.job->name) + " is left free for it.");
      ++left_free_;
      return;
    }
    auto file = write_picture(folder_ / frame.job->name, how_, frame);
    if (!file) return fails(file.error().message);
    waiting_.push_back({frame.job, std::move(*file)});
    const auto now = std::chrono::steady_clock::now();
    if (static_cast<int>(waiting_.size()) < kFlushEvery && now - flushed_ < kFlushAfter) return;
    flush();
    flushed_ = now;
  }

  // What was made before the target failed is kept as far as the target lets us. When there is no
  // room left even for the manifest, the last frames make room.
  void finish() {
    while (!flush() && !waiting_.empty()) waiting_.pop_back();
  }

 private:
  struct Waiting {
    const Job* job;
    StagedFile file;
  };

  bool flush() {
    if (waiting_.empty()) return true;
    Manifest next = manifest_;
    for (auto& w : waiting_) {
      if (auto safe = w.file.sync(); !safe) {
        fails(safe.error().message);
        waiting_.clear();  // after an error nobody knows which of them are on the disk
        return false;
      }
      next[w.job->name] = {w.job->recipe, w.file.stamp()};
    }
    if (auto ok = write_manifest(folder_, next); !ok) return fails(ok.error().message), false;
    manifest_ = std::move(next);
    for (auto& w : waiting_)
      if (auto ok =
              w.file.give_name(overwrite_ || w.job->ours ? IfExists::replace : IfExists::keep);
          !ok)
        fails(ok.error().message);
    waiting_.clear();
    if (auto ok = sync_folder(folder_); !ok) return fails(ok.error().message), false;
    return true;
  }

  void fails(const std::string& why) {
    if (!broken_.exchange(true)) report_.problems.push_back(why);
  }

  const ExportSettings& how_;
  const fs::path folder_;
  const bool overwrite_;
  Manifest manifest_;
  ExportReport& report_;
  std::vector<Waiting> waiting_;
  int left_free_ = 0;
  std::chrono::steady_clock::time_point flushed_ = std::chrono::steady_clock::now();
  std::atomic<bool> broken_{false};
};

// Reading, developing and writing at once, each one frame after the other; developing takes all
// cores that are free. No more than three frames are in memory, on any machine.
void run(FileFormat format, const std::vector<Job>& jobs, Writer& writer, ExportReport& report,
         const Work& work) {
  const bool deep = format == FileFormat::tiff16;
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
           return std::make_shared<Frame>(Frame{&job, read_takes(job.film)});
         }) & tbb::make_filter<Token, Token>(one_by_one, [&](Token frame) {
           if (!frame->takes || work.stop()) return frame;
           // Isolated: a thread that waits for its rows takes no other frame meanwhile.
           tbb::this_task_arena::isolate([&] {
             const Image image = develop_film_frame(std::move(*frame->takes), frame->job->film);
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

bool is_whole(const fs::path& folder, const std::string& name, const std::string& recipe,
              const Manifest& manifest) {
  const auto made = manifest.find(name);
  const auto there = stamp_of(folder / name);
  return made != manifest.end() && there && made->second.recipe == recipe &&
         made->second.stamp.same_file(*there);
}

// Counts what is there now, by what the manifest on the disk says of it.
int count_whole(const fs::path& folder, const std::map<std::string, std::string>& recipes) {
  const auto manifest = read_manifest(folder);
  if (!manifest) return 0;
  int n = 0;
  for (const auto& [name, recipe] : recipes) n += is_whole(folder, name, recipe, *manifest);
  return n;
}

// Nothing is begun that cannot be held: the float picture and what is being encoded and written.
Result<void> check_memory(Size size, bool deep) {
  const double pixels = static_cast<double>(size.width) * size.height;
  const double needed = pixels * (deep ? 12 + 2 * 6 : 12 + 2 * 3);
  const auto free = static_cast<double>(free_memory());
  if (needed <= free) return {};
  char text[200];
  std::snprintf(text, sizeof text,
                "Frames of %d×%d pixels need about %.1f GB of memory each, %.1f GB are free. "
                "Choose a smaller size.",
                size.width, size.height, needed / 1e9, free / 1e9);
  return fail(text);
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
  const Size size = output_size(shoot);
  if (auto ok = check_memory(size, output.format == FileFormat::tiff16); !ok)
    return tl::unexpected(ok.error());
  std::error_code ec;
  const fs::path folder = fs::absolute(output.folder, ec);
  if (auto ok = check_may_write(folder, shoot.sequence.folder); !ok)
    return tl::unexpected(ok.error());
  fs::create_directories(folder, ec);
  if (!is_folder(folder))
    return fail("The folder " + folder.string() + " cannot be made" +
                (ec ? ": " + ec.message() : std::string()) + ".");
  const auto lock = FolderLock::take(folder, "the frames of " + shoot.sequence.folder.string());
  if (!lock) return tl::unexpected(lock.error());
  remove_leftovers(folder);

  const Course course = course_of(shoot);
  auto manifest = read_manifest(folder);
  if (!manifest) return tl::unexpected(manifest.error());
  std::vector<Job> jobs;
  std::map<std::string, std::string> recipes;
  ExportReport report;
  report.total = last - range.first + 1;
  for (int k = range.first; k <= last; ++k) {
    Job job;
    job.name = numbered_name(output.pattern, k + 1) +
               (output.format == FileFormat::jpeg ? ".jpg" : ".tif");
    job.film = film_recipe(shoot, course, plan, film[k], film_placement(shoot, size));
    job.recipe = export_recipe(job.film, output);
    recipes[job.name] = job.recipe;
    if (is_whole(folder, job.name, job.recipe, *manifest)) {
      ++report.kept;
      continue;
    }
    const auto made = manifest->find(job.name);
    if (const auto there = stamp_of(folder / job.name); there && made != manifest->end())
      // One of ours that a crash cut short. Whatever else became of it, somebody wanted it so.
      job.ours = made->second.recipe == job.recipe && made->second.stamp.same_birth(*there) &&
                 there->bytes < made->second.stamp.bytes;
    if (!overwrite && !job.ours && fs::exists(fs::symlink_status(folder / job.name, ec)))
      return fail(printable((folder / job.name).string()) +
                      " is there already and was made from something else; nothing was written. "
                      "Choose another folder or name, or ask for files to be replaced.",
                  ErrorCode::exists);
    jobs.push_back(std::move(job));
  }

  work.report(report.kept, report.total);
  int left_free = 0;
  if (!jobs.empty()) {
    Writer writer(output, folder, overwrite, std::move(*manifest), report);
    run(output.format, jobs, writer, report, work);
    writer.finish();
    left_free = writer.left_free();
  }
  // What is said to be safe is counted on the disk, not in our own books.
  const int safe = count_whole(folder, recipes);
  const int expected = report.kept + static_cast<int>(jobs.size()) - left_free;
  report.cancelled = work.stop();
  report.kept = std::min(report.kept, safe);
  report.written = safe - report.kept;
  if (safe < expected && !report.cancelled) {
    if (report.problems.empty())
      report.problems.push_back("Frames in " + folder.string() +
                                " were taken away or changed while others were exported.");
    report.problems.push_back(std::to_string(safe) + " of " + std::to_string(report.total) +
                              " frames are safe in " + folder.string() +
                              "; export again to go on from there.");
  }
  drop_spare_pixels();
  return report;
}

}  // namespace tsukimi
