// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/numbered_frames.h"

#include <algorithm>
#include <cmath>

#include "base/copy.h"
#include "base/text.h"
#include "folder/originals.h"
#include "output/format_encoder.h"
#include "output/name_pattern.h"
#include "output/space.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

// Files get their names together: one wait for the disk, and one manifest, for many.
constexpr int kFlushEvery = 16;
constexpr std::chrono::milliseconds kFlushAfter{2000};

// With the values that the frame was developed with, but those at their presets.
Result<StagedFile> write_sidecar(const fs::path& path, const PictureFacts& facts,
                                 const FilmRecipe& recipe) {
  const PictureRecipe& picture = recipe.first();
  std::vector<std::pair<std::string, double>> values;
  for (const auto& row : picture.look.kind.rows())
    if (picture.look[row.id] != row.preset) values.emplace_back(row.name, picture.look[row.id]);
  values.emplace_back("levelled_stops", picture.light.stops);
  const std::string text = xmp_packet(facts, picture.placement.size, values);
  return StagedFile::write(path, [&](int fd) {
    return write_all(fd, {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
  });
}

// Of merged shots that of the darkest, in whole stops: so it is the same in every frame of a shoot.
int headroom_of(const FilmRecipe& recipe) {
  double most = 1;
  for (const Take& take : recipe.takes)
    for (const float stops : take.picture.source.merge.stops)
      most = std::max(most, std::ceil(-static_cast<double>(stops) - 0.25));
  return static_cast<int>(most);
}

}  // namespace

PictureFacts facts_of(const ExportSettings& how, const FilmRecipe& recipe) {
  PictureFacts facts{recipe.first().source.info, {}, how.copyright, how.space, how.icc,
                     headroom_of(recipe)};
  facts.frame.time = recipe.time;
  if (!how.location) facts.frame.location.reset();
  if (recipe.how == Composition::between)
    facts.note = "Made from " + printable(facts.frame.file) + " and " +
                 printable(recipe.takes[1].picture.source.info.file);
  return facts;
}

NumberedFrames::NumberedFrames(const ExportSettings& how, fs::path folder, bool overwrite, int part,
                               FolderLock lock, Manifest manifest)
    : how_(how),
      folder_(std::move(folder)),
      overwrite_(overwrite),
      part_(part),
      lock_(std::move(lock)),
      manifest_(std::move(manifest)) {}

Result<std::unique_ptr<NumberedFrames>> NumberedFrames::open(const ExportSettings& how,
                                                             const Originals& originals,
                                                             const ExportPlan& plan,
                                                             bool overwrite) {
  if (auto ok = check_pattern(how.pattern, how.first_number + plan.frames.back().number - 1); !ok)
    return tl::unexpected(ok.error());
  if (how.folder.empty()) return fail("No folder to export to was chosen.");
  std::error_code ec;
  const fs::path folder = fs::absolute(how.folder, ec);
  // DNG files of an export that goes on are no originals. What is wrong with a manifest is said
  // below.
  const auto before = read_manifest(folder).value_or(Manifest());
  auto made_here = [&](const fs::path& file) {
    const auto made = before.files.find(file.filename().string());
    const auto there = stamp_of(file);
    return made != before.files.end() && there && made->second.stamp.same_file(*there);
  };
  if (auto ok = originals.check_folder(folder, made_here); !ok) return tl::unexpected(ok.error());
  const double bytes = info(how.format).bits == 16 ? 12 : 6;  // a pixel, as made and as written
  if (auto ok = check_memory(plan.size, bytes); !ok) return tl::unexpected(ok.error());
  const bool made = fs::create_directories(folder, ec);
  if (!is_folder(folder))
    return fail("The folder " + folder.string() + " cannot be made" +
                (ec ? ": " + ec.message() : std::string()) + ".");
  const int part = plan.part.whole() ? 0 : plan.part.index;
  auto lock = FolderLock::take(folder, "the frames of " + originals.folder().string(), part);
  if (!lock) return tl::unexpected(lock.error());
  if (part == 0) remove_leftovers(folder);  // else they may be of other machines that work
  auto manifest = read_manifest(folder);
  if (!manifest) return tl::unexpected(manifest.error());
  std::unique_ptr<NumberedFrames> sink(
      new NumberedFrames(how, folder, overwrite, part, std::move(*lock), std::move(*manifest)));
  if (auto ok = sink->plan_names(plan, originals); !ok) return tl::unexpected(ok.error());
  if (auto ok = check_space(folder, how, plan.size, static_cast<int>(sink->jobs_.size())); !ok) {
    sink.reset();
    if (made) fs::remove(folder, ec);
    return tl::unexpected(ok.error());
  }
  if (auto ok = sink->note_plan(plan); !ok) return tl::unexpected(ok.error());
  return sink;
}

NumberedFrames::Parts NumberedFrames::parts_of(const PlannedFrame& frame) const {
  const std::string name = numbered_name(how_.pattern, frame.number + how_.first_number - 1),
                    recipe = export_recipe(frame.recipe, how_);
  Parts out{{name + info(how_.format).extension, hash_of(recipe)}};
  if (how_.sidecars) out.push_back({name + ".xmp", hash_of("beside " + recipe), true});
  return out;
}

bool NumberedFrames::is_whole(const Part& part, const Manifest& manifest) const {
  const auto made = manifest.files.find(part.name);
  const auto there = stamp_of(folder_ / part.name);
  return made != manifest.files.end() && there && made->second.recipe == part.recipe &&
         made->second.stamp.same_file(*there);
}

// What is there now, by what the manifest on the disk says of it.
int NumberedFrames::count_whole() const {
  const auto manifest = read_manifest(folder_);
  if (!manifest) return 0;
  return static_cast<int>(std::ranges::count_if(all_, [&](const auto& frame) {
    return std::ranges::all_of(frame.second,
                               [&](const Part& part) { return is_whole(part, *manifest); });
  }));
}

Result<void> NumberedFrames::plan_names(const ExportPlan& plan, const Originals& originals) {
  report_.total = static_cast<int>(plan.end - plan.begin);
  for (std::size_t k = plan.begin; k < plan.end; ++k) {
    const PlannedFrame& frame = plan.frames[k];
    Parts& parts = all_[frame.number] = parts_of(frame);
    Parts missing;
    for (Part& part : parts) {
      if (is_whole(part, manifest_)) continue;
      if (const auto known = manifest_.files.find(part.name);
          known != manifest_.files.end() && known->second.recipe == part.recipe &&
          is_made_file(folder_ / part.name, known->second)) {
        found_again_.files[part.name] = known->second;
        continue;
      }
      if (auto ok = originals.check_file(folder_ / part.name); !ok) return ok;
      const auto made = manifest_.files.find(part.name);
      if (const auto there = stamp_of(folder_ / part.name); there && made != manifest_.files.end())
        // One of ours that a crash cut short. Whatever else became of it, somebody wanted it so.
        part.ours = made->second.recipe == part.recipe && made->second.stamp.same_birth(*there) &&
                    there->bytes < made->second.stamp.bytes;
      std::error_code ec;
      if (!overwrite_ && !part.ours && fs::exists(fs::symlink_status(folder_ / part.name, ec)))
        return fail(printable((folder_ / part.name).string()) +
                        " is there already and was made from something else; nothing was written. "
                        "Choose another folder or name, or ask for files to be replaced.",
                    ErrorCode::exists);
      missing.push_back(part);
    }
    if (missing.empty())
      ++report_.kept;
    else
      jobs_[frame.number] = std::move(missing);
  }
  return {};
}

Result<void> NumberedFrames::note_plan(const ExportPlan& plan) {
  // What is asked for stands in the manifest before anything is made: so it can be told what lacks.
  PlannedFiles asked{how_.pattern, info(how_.format).extension,
                     plan.frames.front().number + how_.first_number - 1,
                     static_cast<int>(plan.frames.size())};
  Manifest more = found_again_;
  if (std::ranges::count(manifest_.plans, asked) == 0) more.plans.push_back(asked);
  if (more.plans.empty() && more.files.empty()) return {};
  return add_to_manifest(folder_, more, part_);
}

Sink::Rest NumberedFrames::put(const MadeFrame& frame) {
  const Parts& parts = jobs_.at(frame.number);
  // The same file by size and time, but other bytes than when this frame was made before.
  if (const auto made = manifest_.files.find(parts.front().name);
      !overwrite_ && made != manifest_.files.end() && made->second.recipe == parts.front().recipe &&
      are_other_bytes(made->second.sources, frame.sources)) {
    const auto problem = std::make_shared<Error>(other_content(frame.recipe));
    return {{}, [this, number = frame.number, problem] { miss(number, *problem); }};
  }
  auto ready = std::make_shared<EncodedPicture>();
  if (!parts.front().sidecar)
    *ready = encoder_of(how_.format).encode(frame.picture, facts_of(how_, frame.recipe));
  auto written = std::make_shared<std::vector<Waiting>>();
  auto problem = std::make_shared<std::string>();
  return {[this, &frame_parts = parts, number = frame.number, &recipe = frame.recipe,
           &sources = frame.sources, ready, written, problem] {
            if (!broken_) *problem = write(frame_parts, number, recipe, sources, *ready, *written);
            *ready = {};
          },
          [this, written, problem] {
            if (broken_) return;
            if (!problem->empty()) return fails(*problem);
            std::ranges::move(*written, std::back_inserter(waiting_));
            const auto now = std::chrono::steady_clock::now();
            if (std::ssize(waiting_) < kFlushEvery && now - flushed_ < kFlushAfter) return;
            flush();
            flushed_ = now;
          }};
}

// Under no names yet. Empty, or what went wrong.
std::string NumberedFrames::write(const Parts& parts, int number, const FilmRecipe& recipe,
                                  const std::string& sources, const EncodedPicture& ready,
                                  std::vector<Waiting>& out) const {
  const PictureFacts facts = facts_of(how_, recipe);
  for (const Part& part : parts) {
    auto file = part.sidecar
                    ? write_sidecar(folder_ / part.name, facts, recipe)
                    : encoder_of(how_.format).write(folder_ / part.name, ready, how_, facts);
    if (!file) return file.error().message;
    auto sum = file_checksum(file->temporary());
    if (!sum) return sum.error().message;
    out.push_back({number, &part, std::move(*file), sources, std::move(*sum)});
  }
  return {};
}

void NumberedFrames::miss(int number, const Error& why) {
  if (broken_) return;
  report_.problems.push_back(why.message + " Number " + printable(jobs_.at(number).front().name) +
                             " is left free for it.");
  ++left_free_;
}

bool NumberedFrames::flush() {
  if (waiting_.empty()) return true;
  Manifest made;
  for (auto& w : waiting_) {
    if (auto safe = w.file.sync(); !safe) {
      fails(safe.error().message);
      waiting_.clear();  // after an error nobody knows which of them are on the disk
      return false;
    }
    made.files[w.part->name] = {w.number + how_.first_number - 1, w.part->recipe, w.sources, w.sum,
                                w.file.stamp()};
  }
  if (auto ok = add_to_manifest(folder_, made, part_); !ok) return fails(ok.error().message), false;
  for (auto& w : waiting_)
    if (auto ok = w.file.give_name(overwrite_ || w.part->ours ? IfExists::replace : IfExists::keep);
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
  const int safe = count_whole();
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
