#include "output/film_file.h"

#include "base/file.h"
#include "base/text.h"
#include "folder/originals.h"
#include "output/export_manifest.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

fs::path parts_folder(const fs::path& film) { return film.string() + ".parts"; }

Result<Segment> read_segment(const fs::path& file) {
  const auto bytes = read_file(file);
  if (!bytes) return tl::unexpected(bytes.error());
  auto segment = segment_of(*bytes);
  if (!segment) return fail(file.string() + " is damaged.");
  return segment;
}

// All that decides the bytes of a segment.
std::string recipe_of(const FilmSettings& how, const FilmFacts& facts,
                      std::span<const PlannedFrame> frames) {
  std::string out = text_of(how) + " " + std::to_string(facts.size.width) + "x" +
                    std::to_string(facts.size.height);
  ExportSettings plain;  // the picture alone
  for (const auto& frame : frames) out += "\n" + export_recipe(frame.recipe, plain);
  return out;
}

}  // namespace

FilmFile::FilmFile(const FilmSettings& how, const FilmFacts& facts, bool overwrite, FolderLock lock)
    : how_(how), facts_(facts), overwrite_(overwrite), lock_(std::move(lock)) {}

Result<std::unique_ptr<FilmFile>> FilmFile::open(const FilmSettings& how, const FilmFacts& facts,
                                                 const fs::path& originals, const ExportPlan& plan,
                                                 bool overwrite) {
  if (auto ok = check_film(how); !ok) return tl::unexpected(ok.error());
  const bool even = facts.size.width % 2 == 0 && facts.size.height % 2 == 0;
  if (!even) return fail("A film has an even number of pixels on both sides.");
  FilmSettings settings = how;
  std::error_code ec;
  settings.file = fs::absolute(how.file, ec);
  const fs::path folder = settings.file.parent_path(), parts = parts_folder(settings.file);
  if (auto ok = check_may_write(folder, originals); !ok) return tl::unexpected(ok.error());
  if (!overwrite && fs::exists(fs::symlink_status(settings.file, ec)))
    return fail(printable(settings.file.string()) +
                    " is there already; nothing was written. Choose another name, or ask for it to "
                    "be replaced.",
                ErrorCode::exists);
  // Whether this machine can encode it is known before anything is made.
  if (auto encoder = SegmentEncoder::open(settings, facts.size); !encoder)
    return tl::unexpected(encoder.error());
  fs::create_directories(parts, ec);
  if (!is_folder(parts))
    return fail("The folder " + parts.string() + " cannot be made" +
                (ec ? ": " + ec.message() : std::string()) + ".");
  auto lock = FolderLock::take(parts, "the film of " + originals.string());
  if (!lock) return tl::unexpected(lock.error());
  remove_leftovers(parts);
  remove_leftovers(folder);
  std::unique_ptr<FilmFile> film(new FilmFile(settings, facts, overwrite, std::move(*lock)));
  const int length = segment_frames(settings), total = static_cast<int>(plan.frames.size());
  film->report_.total = total;
  for (int at = 0; at < total; at += length) {
    const int count = std::min(length, total - at);
    const std::span<const PlannedFrame> frames(plan.frames.data() + at,
                                               static_cast<std::size_t>(count));
    Part part{frames.front().number, count,
              parts / (hash_of(recipe_of(settings, facts, frames)) + ".segment")};
    part.there = read_segment(part.file).has_value();
    if (part.there) film->report_.kept += count;
    film->parts_.push_back(std::move(part));
  }
  return film;
}

FilmFile::Part& FilmFile::part_of(int number) {
  const auto after = std::ranges::upper_bound(parts_, number, {}, &Part::first);
  return *std::prev(after);
}

bool FilmFile::has(int number) const { return const_cast<FilmFile*>(this)->part_of(number).there; }

Sink::Rest FilmFile::put(int number, const FilmRecipe&, const Image& picture) {
  auto film = std::make_shared<YCbCr>(to_ycbcr(picture, how_.space, how_.bits, how_.sampling));
  return [this, number, film] { encode(part_of(number), number, *film); };
}

void FilmFile::encode(Part& part, int number, const YCbCr& picture) {
  if (broken_ || part.failed) return;
  if (number == part.first) {
    auto encoder = SegmentEncoder::open(how_, facts_.size);
    if (!encoder) return fails(encoder.error().message);
    encoder_ = std::move(*encoder);
  }
  if (auto ok = encoder_->add(picture); !ok) return fails(ok.error().message);
  if (number + 1 < part.first + part.count) return;
  auto segment = encoder_->finish();
  encoder_.reset();
  if (!segment) return fails(segment.error().message);
  if (auto ok = write_file(part.file, bytes_of(*segment), IfExists::replace); !ok)
    return fails(ok.error().message);
  part.there = true;
  report_.encoded += part.count;
}

void FilmFile::miss(int number, const Error& why) {
  part_of(number).failed = true;
  encoder_.reset();
  report_.problems.push_back(why.message + " The film lacks frame " + std::to_string(number) + ".");
}

void FilmFile::fails(const std::string& why) {
  if (!broken_.exchange(true)) report_.problems.push_back(why);
}

Result<void> FilmFile::join() {
  Result<void> joined;
  auto file = StagedFile::write(how_.file, [&](int fd) {
    joined = join_film(
        "/proc/self/fd/" + std::to_string(fd), how_, facts_, static_cast<int>(parts_.size()),
        [&](int i) { return read_segment(parts_[static_cast<std::size_t>(i)].file); });
    return joined ? 0 : EIO;
  });
  if (!joined) return joined;
  if (!file) return tl::unexpected(file.error());
  if (auto ok = file->sync(); !ok) return ok;
  if (auto ok = file->give_name(overwrite_ ? IfExists::replace : IfExists::keep); !ok) return ok;
  return sync_folder(how_.file.parent_path());
}

FilmReport FilmFile::finish(bool cancelled) {
  encoder_.reset();
  report_.cancelled = cancelled;
  const bool all = std::ranges::all_of(parts_, [](const Part& p) { return p.there; });
  if (all && !broken_) {
    if (auto ok = join(); !ok)
      report_.problems.push_back(ok.error().message);
    else
      report_.finished = true;
  }
  if (report_.finished) {
    lock_.reset();
    std::error_code ec;
    fs::remove_all(parts_folder(how_.file), ec);
  } else if (!cancelled) {
    report_.problems.push_back(std::to_string(report_.kept + report_.encoded) + " of " +
                               std::to_string(report_.total) +
                               " frames are encoded; the same film goes on from there.");
  }
  return report_;
}

}  // namespace tsukimi
