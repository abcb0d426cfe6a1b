#include "output/numbered_frames.h"

#include <variant>

#include "base/text.h"
#include "develop/display.h"
#include "folder/originals.h"
#include "output/encode.h"
#include "output/name_pattern.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

// Files get their names together: one wait for the disk, and one manifest, for many.
constexpr int kFlushEvery = 16;
constexpr std::chrono::milliseconds kFlushAfter{2000};

using Ready = std::variant<Encoded8, Encoded16>;

Result<StagedFile> write_picture(const fs::path& path, const ExportSettings& how,
                                 const FilmRecipe& recipe, const Ready& picture) {
  // Of a made frame the capture's facts are its neighbour's, but for the moment.
  FrameInfo info = recipe.first().source.info;
  info.time = recipe.time;
  const std::string note = recipe.how == Composition::between
                               ? "Made from " + printable(info.file) + " and " +
                                     printable(recipe.takes[1].picture.source.info.file)
                               : std::string();
  if (const auto* deep = std::get_if<Encoded16>(&picture))
    return StagedFile::write(path, [&](int fd) { return write_tiff16(fd, *deep, info, note); });
  auto bytes = encode_jpeg(std::get<Encoded8>(picture), how.quality).and_then([&](Bytes b) {
    return with_metadata(std::move(b), info, recipe.first().placement.size, note);
  });
  if (!bytes) return tl::unexpected(bytes.error());
  return StagedFile::write(path, [&](int fd) { return write_all(fd, *bytes); });
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

}  // namespace

NumberedFrames::NumberedFrames(const ExportSettings& how, fs::path folder, bool overwrite,
                               FolderLock lock, Manifest manifest)
    : how_(how),
      folder_(std::move(folder)),
      overwrite_(overwrite),
      lock_(std::move(lock)),
      manifest_(std::move(manifest)) {}

Result<std::unique_ptr<NumberedFrames>> NumberedFrames::open(const ExportSettings& how,
                                                             const fs::path& originals,
                                                             const ExportPlan& plan,
                                                             bool overwrite) {
  if (auto ok = check_pattern(how.pattern, plan.film); !ok) return tl::unexpected(ok.error());
  if (how.folder.empty()) return fail("No folder to export to was chosen.");
  std::error_code ec;
  const fs::path folder = fs::absolute(how.folder, ec);
  if (auto ok = check_may_write(folder, originals); !ok) return tl::unexpected(ok.error());
  fs::create_directories(folder, ec);
  if (!is_folder(folder))
    return fail("The folder " + folder.string() + " cannot be made" +
                (ec ? ": " + ec.message() : std::string()) + ".");
  auto lock = FolderLock::take(folder, "the frames of " + originals.string());
  if (!lock) return tl::unexpected(lock.error());
  remove_leftovers(folder);
  auto manifest = read_manifest(folder);
  if (!manifest) return tl::unexpected(manifest.error());
  std::unique_ptr<NumberedFrames> sink(
      new NumberedFrames(how, folder, overwrite, std::move(*lock), std::move(*manifest)));
  if (auto ok = sink->plan_names(plan); !ok) return tl::unexpected(ok.error());
  return sink;
}

Result<void> NumberedFrames::plan_names(const ExportPlan& plan) {
  report_.total = static_cast<int>(plan.frames.size());
  for (const auto& frame : plan.frames) {
    Job job;
    job.name = numbered_name(how_.pattern, frame.number) +
               (how_.format == FileFormat::jpeg ? ".jpg" : ".tif");
    job.recipe = export_recipe(frame.recipe, how_);
    recipes_[job.name] = job.recipe;
    if (is_whole(folder_, job.name, job.recipe, manifest_)) {
      ++report_.kept;
      continue;
    }
    const auto made = manifest_.find(job.name);
    if (const auto there = stamp_of(folder_ / job.name); there && made != manifest_.end())
      // One of ours that a crash cut short. Whatever else became of it, somebody wanted it so.
      job.ours = made->second.recipe == job.recipe && made->second.stamp.same_birth(*there) &&
                 there->bytes < made->second.stamp.bytes;
    std::error_code ec;
    if (!overwrite_ && !job.ours && fs::exists(fs::symlink_status(folder_ / job.name, ec)))
      return fail(printable((folder_ / job.name).string()) +
                      " is there already and was made from something else; nothing was written. "
                      "Choose another folder or name, or ask for files to be replaced.",
                  ErrorCode::exists);
    jobs_[frame.number] = std::move(job);
  }
  return {};
}

Sink::Rest NumberedFrames::put(int number, const FilmRecipe& recipe, const Image& picture) {
  auto encoded = std::make_shared<Ready>();
  if (how_.format == FileFormat::tiff16)
    *encoded = to_srgb16(picture);
  else
    *encoded = to_srgb8(picture);
  return [this, &job = jobs_.at(number), &recipe, encoded] {
    if (broken_) return;
    auto file = write_picture(folder_ / job.name, how_, recipe, *encoded);
    if (!file) return fails(file.error().message);
    waiting_.push_back({&job, std::move(*file)});
    const auto now = std::chrono::steady_clock::now();
    if (static_cast<int>(waiting_.size()) < kFlushEvery && now - flushed_ < kFlushAfter) return;
    flush();
    flushed_ = now;
  };
}

void NumberedFrames::miss(int number, const Error& why) {
  if (broken_) return;
  report_.problems.push_back(why.message + " Number " + printable(jobs_.at(number).name) +
                             " is left free for it.");
  ++left_free_;
}

bool NumberedFrames::flush() {
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
    if (auto ok = w.file.give_name(overwrite_ || w.job->ours ? IfExists::replace : IfExists::keep);
        !ok)
      fails(ok.error().message);
  waiting_.clear();
  if (auto ok = sync_folder(folder_); !ok) return fails(ok.error().message), false;
  return true;
}

void NumberedFrames::fails(const std::string& why) {
  if (!broken_.exchange(true)) report_.problems.push_back(why);
}

ExportReport NumberedFrames::finish(bool cancelled) {
  // When there is no room left even for the manifest, the last frames make room.
  while (!flush() && !waiting_.empty()) waiting_.pop_back();
  ExportReport report = report_;
  const int safe = count_whole(folder_, recipes_);
  const int expected = report.kept + static_cast<int>(jobs_.size()) - left_free_;
  report.cancelled = cancelled;
  report.kept = std::min(report.kept, safe);
  report.written = safe - report.kept;
  if (safe < expected && !cancelled) {
    if (report.problems.empty())
      report.problems.push_back("Frames in " + folder_.string() +
                                " were taken away or changed while others were exported.");
    report.problems.push_back(std::to_string(safe) + " of " + std::to_string(report.total) +
                              " frames are safe in " + folder_.string() +
                              "; export again to go on from there.");
  }
  return report;
}

}  // namespace tsukimi
