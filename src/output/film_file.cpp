// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/film_file.h"

#include "base/copy.h"
#include "base/file.h"
#include "base/text.h"
#include "folder/originals.h"
#include "output/cut_film.h"
#include "output/film_parts.h"
#include "output/join_gif.h"
#include "output/space.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

Result<Segment> read_segment(const fs::path& file) {
  const auto bytes = read_file(file);
  if (!bytes) return tl::unexpected(bytes.error());
  auto segment = segment_of(*bytes);
  if (!segment) return fail(file.string() + " is damaged; it is made anew when the film goes on.");
  return segment;
}

// All that decides the bytes of a segment.
std::string recipe_of(const FilmSettings& how, const FilmFacts& facts,
                      std::span<const PlannedFrame> frames) {
  std::string out = text_of(how, facts.rate) + " " + std::to_string(facts.size.width) + "x" +
                    std::to_string(facts.size.height);
  for (const auto& frame : frames) out += "\n" + picture_text(frame.recipe);
  return out;
}

}  // namespace

FilmFile::FilmFile(const FilmSettings& how, const FilmFacts& facts, const ExportPlan& plan,
                   bool overwrite)
    : how_(how),
      facts_(facts),
      part_(plan.part.whole() ? 0 : plan.part.index),
      overwrite_(overwrite) {
  const int length = segment_frames(how, facts.rate), total = static_cast<int>(plan.frames.size());
  for (int at = 0; at < total; at += length) {
    const int count = std::min(length, total - at);
    const std::span<const PlannedFrame> frames(plan.frames.data() + at,
                                               static_cast<std::size_t>(count));
    Piece piece{frames.front().number, count, hash_of(recipe_of(how, facts, frames)), {}};
    piece.file = parts_folder(how.file) / (piece.recipe + ".segment");
    piece.ours = plan.makes(static_cast<std::size_t>(at));
    if (piece.ours) report_.total += count;
    pieces_.push_back(std::move(piece));
  }
}

Result<std::unique_ptr<FilmFile>> FilmFile::open(const FilmSettings& how, const FilmFacts& facts,
                                                 const Originals& originals, const ExportPlan& plan,
                                                 bool overwrite) {
  if (auto ok = check_film(how); !ok) return tl::unexpected(ok.error());
  constexpr int kMostOfGif = 50;
  if (how.codec == Codec::gif && facts.rate.frames > kMostOfGif * facts.rate.seconds)
    return fail("A GIF shows at most 50 frames a second.");
  const bool even = facts.size.width % 2 == 0 && facts.size.height % 2 == 0;
  if (!even) return fail("A film has an even number of pixels on both sides.");
  std::unique_ptr<FilmFile> film(new FilmFile(how, facts, plan, overwrite));
  if (auto ok = check_memory(facts.size, 12); !ok) return tl::unexpected(ok.error());
  // Whether this machine can encode it, and read its sound, is known before anything is made.
  if (auto encoder = SegmentEncoder::open(how, facts.rate, facts.size); !encoder)
    return tl::unexpected(encoder.error());
  if (!how.sound.empty()) {
    const double seconds = static_cast<double>(plan.frames.size()) * facts.rate.seconds /
                           static_cast<double>(facts.rate.frames);
    auto sound = SoundTrack::read(how.sound, how.container, seconds);
    if (!sound) return tl::unexpected(sound.error());
    film->sound_ = std::move(*sound);
    film->sound_sum_ = file_checksum(how.sound).value_or("-");
  }
  if (auto ok = film->check_place(originals); !ok) return tl::unexpected(ok.error());
  if (film->finished_already_) return film;
  if (auto ok = film->take_parts_folder(originals); !ok) return tl::unexpected(ok.error());
  return film;
}

// What stands under the film's name: the film, made from the same, or something that must not be
// lost.
Result<void> FilmFile::check_place(const Originals& originals) {
  const fs::path file = how_.file, folder = file.parent_path();
  if (auto ok = originals.check_folder(folder); !ok) return ok;
  if (auto ok = originals.check_file(file); !ok) return ok;
  if (auto ok = check_parts_folder(parts_folder(file)); !ok) return ok;
  auto manifest = read_manifest(folder);
  if (!manifest) return tl::unexpected(manifest.error());
  const auto known = manifest->files.find(file.filename().string());
  if (known != manifest->files.end() && known->second.recipe == film_recipe()) {
    const FileStamp before = known->second.stamp;
    if (is_made_file(file, known->second)) {
      finished_already_ = true;
      report_.kept = report_.total;
      if (before == known->second.stamp) return {};
      return add_to_manifest(folder, {{{known->first, known->second}}, {}, {}}, part_);
    }
  }
  std::error_code ec;
  if (!overwrite_ && fs::exists(fs::symlink_status(file, ec)))
    return fail(printable(file.string()) +
                    " is there already; nothing was written. Choose another name, or ask for it to "
                    "be replaced.",
                ErrorCode::exists);
  return check_film_space(folder, how_, facts_.rate, facts_.size, report_.total);
}

Result<void> FilmFile::take_parts_folder(const Originals& originals) {
  const fs::path file = how_.file, folder = file.parent_path(), parts = parts_folder(file);
  auto lock =
      tsukimi::take_parts_folder(parts, "the film of " + originals.folder().string(), part_);
  if (!lock) return tl::unexpected(lock.error());
  lock_.emplace(std::move(*lock));
  if (part_ == 0) {
    remove_leftovers(parts);
    remove_leftovers(folder);
  }
  // Whether they are whole is seen when they are joined: a large film is read once.
  for (Piece& piece : pieces_) piece.there = is_segment_file(piece.file);
  const auto manifest = read_manifest(folder);
  if (manifest) take_from_old_film(*manifest);
  if (manifest)
    if (const auto old = manifest->films.find(file.filename().string());
        old != manifest->films.end())
      made_before_ = old->second.made;
  for (const Piece& piece : pieces_)
    if (piece.there && piece.ours) report_.kept += piece.count;
  // What is asked for is known before it is there: so it can be told that it lacks.
  const int frames = frame_count();
  PlannedFilm planned{frames, facts_.rate, facts_.size, {}};
  const std::string name = file.filename().string();
  if (manifest) {
    const auto old = manifest->films.find(name);
    if (old != manifest->films.end() && old->second.frames == frames &&
        old->second.rate == planned.rate && old->second.size == planned.size)
      return {};
  }
  return add_to_manifest(folder, {{}, {}, {{name, planned}}}, part_);
}

// What an older film of this name has of this one, as its manifest says: it need not be encoded
// again.
void FilmFile::take_from_old_film(const Manifest& manifest) {
  const fs::path file = how_.file;
  const std::string name = file.filename().string();
  const auto film = manifest.films.find(name);
  const auto known = manifest.files.find(name);
  const auto there = stamp_of(file);
  // What is cut out of a film does not tell the light of its frames.
  if (how_.codec == Codec::gif || how_.light != FilmLight::standard || !there ||
      film == manifest.films.end() || known == manifest.files.end() ||
      !known->second.stamp.same_file(*there) || film->second.made.empty() ||
      std::ssize(film->second.made) != film->second.frames)
    return;
  const auto& made = film->second.made;
  const int first = made.begin()->first;
  std::vector<FilmCut> cuts;
  std::vector<Piece*> whose;
  for (Piece& piece : pieces_) {
    if (piece.there || !piece.ours) continue;
    bool same = true;
    for (int i = 0; i < piece.count && same; ++i) {
      const auto frame = made.find(piece.first + i);
      same = frame != made.end() && frame->second.recipe == piece.recipe;
    }
    if (!same) continue;
    cuts.push_back({piece.first - first, piece.count});
    whose.push_back(&piece);
  }
  cut_film(file, how_.codec, facts_.rate, cuts, [&](std::size_t k, Segment segment) {
    Piece& piece = *whose[k];
    for (int i = 0; i < piece.count; ++i)
      segment.sources.push_back(made.at(piece.first + i).sources);
    piece.there = write_file(piece.file, bytes_of(segment), IfExists::replace).has_value();
  });
}

// A folder in which nothing came to be goes.
FilmFile::~FilmFile() {
  lock_.reset();
  if (!finished_already_) drop_parts_folder(parts_folder(how_.file));
}

int FilmFile::frame_count() const {
  return pieces_.back().first + pieces_.back().count - pieces_.front().first;
}

std::size_t FilmFile::piece_of(int number) const {
  const auto after = std::ranges::upper_bound(pieces_, number, {}, &Piece::first);
  return static_cast<std::size_t>(after - pieces_.begin()) - 1;
}

bool FilmFile::has(int number) const {
  return finished_already_ || pieces_[piece_of(number)].there;
}

Sink::Rest FilmFile::put(const MadeFrame& frame) {
  const Piece& piece = pieces_[piece_of(frame.number)];
  if (const auto before = made_before_.find(frame.number);
      !overwrite_ && before != made_before_.end() && before->second.recipe == piece.recipe &&
      are_other_bytes(before->second.sources, frame.sources)) {
    const auto problem = std::make_shared<Error>(other_content(frame.recipe));
    return {{}, [this, number = frame.number, problem] { miss(number, *problem); }};
  }
  auto film = std::make_shared<YCbCr>(
      how_.codec == Codec::gif ? gif_planes(frame.picture)
      : how_.light != FilmLight::standard
          ? to_wide_ycbcr(frame.picture, how_.light, how_.bits, how_.sampling)
          : to_ycbcr(frame.picture, how_.space, how_.bits, how_.sampling));
  return {{}, [this, number = frame.number, film, &sources = frame.sources] {
            encode(pieces_[piece_of(number)], number, *film, sources);
          }};
}

void FilmFile::encode(Piece& piece, int number, const YCbCr& picture, const std::string& sources) {
  if (broken_ || piece.failed) return;
  if (number == piece.first) {
    auto encoder = SegmentEncoder::open(how_, facts_.rate, facts_.size);
    if (!encoder) return fails(encoder.error().message);
    encoder_ = std::move(*encoder);
  }
  if (auto ok = encoder_->add(picture, sources); !ok) return fails(ok.error().message);
  if (number + 1 < piece.first + piece.count) return;
  auto segment = encoder_->finish();
  encoder_.reset();
  if (!segment) return fails(segment.error().message);
  if (auto ok = write_file(piece.file, bytes_of(*segment), IfExists::replace); !ok)
    return fails(ok.error().message);
  piece.there = true;
  report_.encoded += piece.count;
}

void FilmFile::miss(int number, const Error& why) {
  pieces_[piece_of(number)].failed = true;
  encoder_.reset();
  report_.lacking.push_back(number);
  report_.problems.push_back(why.message + " The film lacks frame " + std::to_string(number) + ".");
}

void FilmFile::fails(const std::string& why) {
  if (!broken_.exchange(true)) report_.problems.push_back(why);
}

// All that decides the bytes of the film.
std::string FilmFile::film_recipe() const {
  std::string out = how_.container + " " + sound_sum_ + " " + std::to_string(facts_.time) + " " +
                    facts_.title + " " + facts_.copyright;
  for (const Piece& p : pieces_) out += " " + p.recipe;
  return hash_of(out);
}

Manifest FilmFile::made(const StagedFile& file, const std::string& sum,
                        const std::vector<std::string>& sources) const {
  const std::string name = fs::path(how_.file).filename().string();
  Manifest out;
  PlannedFilm& film = out.films[name];
  film.frames = frame_count();
  film.rate = facts_.rate;
  film.size = facts_.size;
  for (const Piece& p : pieces_)
    for (int i = 0; i < p.count; ++i) {
      const int number = p.first + i;
      film.made[number] = {sources[static_cast<std::size_t>(number - pieces_.front().first)],
                           p.recipe};
    }
  out.files[name] = {0, film_recipe(), "", sum, file.stamp()};
  return out;
}

Result<void> FilmFile::join(const Work& work) {
  const fs::path target = how_.file;
  std::vector<std::string> sources;
  auto segment_at = [&](int i) {
    const Piece& piece = pieces_[static_cast<std::size_t>(i)];
    auto segment = read_segment(piece.file);
    if (!segment) {
      remove_segment(piece.file);
      return segment;
    }
    // Some containers are written in two rounds.
    if (std::ssize(sources) == piece.first - pieces_.front().first)
      sources.insert(sources.end(), segment->sources.begin(), segment->sources.end());
    return segment;
  };
  const FilmParts parts{static_cast<int>(pieces_.size()), segment_at, sound_ ? &*sound_ : nullptr};
  Result<void> joined;
  auto file = StagedFile::write(target, [&](int fd) {
    const fs::path open = "/proc/self/fd/" + std::to_string(fd);
    joined = how_.codec == Codec::gif ? join_gif(open, facts_, parts, work)
                                      : join_film(open, how_, facts_, parts, work);
    return joined ? 0 : EIO;
  });
  if (!joined) return joined;
  if (!file) return tl::unexpected(file.error());
  if (auto ok = file->sync(); !ok) return ok;
  const auto sum = file_checksum(file->temporary());
  if (!sum) return tl::unexpected(sum.error());
  if (auto ok = add_to_manifest(target.parent_path(), made(*file, *sum, sources)); !ok) return ok;
  if (auto ok = file->give_name(overwrite_ ? IfExists::replace : IfExists::keep); !ok) return ok;
  return sync_folder(target.parent_path());
}

FilmReport FilmFile::finish(const Work& work) {
  encoder_.reset();
  report_.cancelled = work.stop();
  report_.finished = finished_already_;
  if (report_.finished) return report_;
  const bool all = std::ranges::all_of(
      pieces_, [&](const Piece& p) { return p.there || (part_ > 0 && !p.ours); });
  if (all && !broken_ && !report_.cancelled) {
    const auto ok = part_ > 0 ? Result<void>() : join(work);
    report_.cancelled = work.stop();
    report_.finished = ok.has_value();
    if (!ok && !report_.cancelled) report_.problems.push_back(ok.error().message);
  }
  lock_.reset();
  if (report_.finished && part_ == 0) {
    remove_segments(parts_folder(how_.file));
    drop_parts_folder(parts_folder(how_.file));
  } else if (!report_.finished && !report_.cancelled) {
    report_.problems.push_back(std::to_string(report_.kept + report_.encoded) + " of " +
                               std::to_string(report_.total) +
                               " frames are encoded; the same film goes on from there.");
  }
  return report_;
}

}  // namespace tsukimi
