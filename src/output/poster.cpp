// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/poster.h"

#include "base/copy.h"
#include "base/file.h"
#include "base/text.h"
#include "develop/display.h"
#include "output/encode.h"
#include "output/export_manifest.h"
#include "output/numbered_frames.h"

namespace tsukimi {
namespace fs = std::filesystem;

Poster::Poster(fs::path file, int number, const ExportSettings& how, std::string recipe,
               bool overwrite)
    : file_(std::move(file)),
      number_(number),
      how_(how),
      recipe_(std::move(recipe)),
      overwrite_(overwrite) {}

Result<std::unique_ptr<Poster>> Poster::open(const fs::path& film, int number,
                                             const ExportSettings& given,
                                             const Originals& originals, const ExportPlan& plan,
                                             bool overwrite) {
  ExportSettings how = given;
  how.format = FileFormat::jpeg;
  how.space = ColourSpace::srgb;
  const fs::path file = fs::path(film).replace_extension(".jpg");
  if (auto ok = originals.check_file(file); !ok) return tl::unexpected(ok.error());
  const int first = plan.frames.front().number;
  const auto at = static_cast<std::size_t>(number - first);
  std::unique_ptr<Poster> poster(new Poster(
      file, number, how, hash_of(export_recipe(plan.frames[at].recipe, how)), overwrite));
  auto manifest = read_manifest(file.parent_path());
  if (!manifest) return tl::unexpected(manifest.error());
  const auto known = manifest->files.find(file.filename().string());
  poster->there_ = !plan.makes(at) ||
                   (known != manifest->files.end() && known->second.recipe == poster->recipe_ &&
                    is_made_file(file, known->second));
  std::error_code ec;
  if (!poster->there_ && !overwrite && fs::exists(fs::symlink_status(file, ec)))
    return fail(printable(file.string()) +
                    " is there already and was made from something else; nothing was written.",
                ErrorCode::exists);
  return poster;
}

Sink::Rest Poster::put(const MadeFrame& frame) {
  auto picture = std::make_shared<Encoded8>(encode8(frame.picture, how_.space));
  return {{}, [this, frame, picture] {
            if (auto ok = write(frame, *picture); !ok) problem_ = ok.error().message;
          }};
}

void Poster::miss(int number, const Error& why) {
  problem_ = why.message + " The poster lacks; it is frame " + std::to_string(number) + ".";
}

Result<void> Poster::write(const MadeFrame& frame, const Encoded8& picture) const {
  const PictureFacts facts = facts_of(how_, frame.recipe);
  const auto bytes = encode_jpeg(picture, how_.quality, how_.chroma, &facts);
  if (!bytes) return tl::unexpected(bytes.error());
  auto file = StagedFile::write(file_, [&](int fd) { return write_all(fd, *bytes); });
  if (!file) return tl::unexpected(file.error());
  if (auto ok = file->sync(); !ok) return ok;
  const auto sum = file_checksum(file->temporary());
  if (!sum) return tl::unexpected(sum.error());
  Manifest made;
  made.files[file_.filename().string()] = {number_, recipe_, frame.sources, *sum, file->stamp()};
  if (auto ok = add_to_manifest(file_.parent_path(), made); !ok) return ok;
  return file->give_name(overwrite_ ? IfExists::replace : IfExists::keep);
}

}  // namespace tsukimi
