// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/export_manifest.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <nlohmann/json.hpp>

#include "base/cache.h"
#include "base/copy.h"
#include "base/text.h"
#include "document/files/exports_json.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kFormat = "tsukimi export";
constexpr int kSchema = 2;

bool is_text(const json& j, const char* key) { return j.contains(key) && j[key].is_string(); }
bool is_whole(const json& j, const char* key) {
  return j.contains(key) && j[key].is_number_integer();
}

std::string line(const json& j) {
  return j.dump(-1, ' ', false, json::error_handler_t::replace) + "\n";
}

bool is_head(const std::string& text) {
  const json j = json::parse(text, nullptr, false);
  return j.is_object() && is_text(j, "format") && j["format"] == kFormat;
}

// Of something in this folder.
bool is_name(const std::string& name) {
  return !name.empty() && name.find('/') == std::string::npos;
}

void read_film_line(const json& j, Manifest& into) {
  const std::string name = from_json_name(j["film"]);
  if (!is_name(name)) return;
  PlannedFilm& film = into.films[name];
  if (is_whole(j, "number") && is_text(j, "sources") && is_text(j, "recipe"))
    film.made[j["number"]] = {j["sources"], j["recipe"]};
  if (!is_whole(j, "frames") || !is_text(j, "rate") || !j.contains("size")) return;
  const json& size = j["size"];
  if (!size.is_array() || size.size() != 2 || !size[0].is_number_integer() ||
      !size[1].is_number_integer())
    return;
  film.made.clear();  // what an older film of this name was made of
  film.frames = j["frames"];
  film.size = {size[0], size[1]};
  const std::string rate = j["rate"];
  if (std::sscanf(rate.c_str(), "%d/%d", &film.rate.frames, &film.rate.seconds) != 2)
    film.rate = {};
}

void read_line(const std::string& text, Manifest& into) {
  const json j = json::parse(text, nullptr, false);
  if (!j.is_object()) return;
  if (is_text(j, "pattern") && is_text(j, "extension") && is_whole(j, "first") &&
      is_whole(j, "count")) {
    PlannedFiles plan{from_json_name(j["pattern"]), j["extension"], j["first"], j["count"]};
    constexpr int kMost = 1'000'000;  // of numbers, and of frames
    if (plan.count >= 0 && plan.count <= kMost && plan.first >= 0 && plan.first <= kMost)
      into.plans.push_back(std::move(plan));
    return;
  }
  if (is_text(j, "film")) return read_film_line(j, into);
  if (!is_text(j, "file") || !is_text(j, "recipe") || !is_whole(j, "bytes")) return;
  const std::string name = from_json_name(j["file"]);
  if (!is_name(name)) return;
  MadeFile made;
  made.recipe = j["recipe"];
  made.stamp.bytes = j["bytes"].get<std::uint64_t>();
  if (is_whole(j, "number")) made.number = j["number"];
  if (is_text(j, "sources")) made.sources = j["sources"];
  if (is_text(j, "sum")) made.sum = j["sum"];
  if (is_whole(j, "inode")) made.stamp.inode = j["inode"].get<std::uint64_t>();
  if (is_whole(j, "modified")) made.stamp.modified = j["modified"];
  if (is_whole(j, "born")) made.stamp.born = j["born"];
  into.files[name] = std::move(made);
}

// The bytes of a new manifest, or what is to be added to one.
std::string lines_of(const Manifest& more) {
  std::string out;
  for (const PlannedFiles& p : more.plans)
    out += line({{"pattern", to_json_name(p.pattern)},
                 {"extension", p.extension},
                 {"first", p.first},
                 {"count", p.count}});
  for (const auto& [name, film] : more.films) {
    if (film.frames > 0)
      out += line(
          {{"film", to_json_name(name)},
           {"frames", film.frames},
           {"rate", std::to_string(film.rate.frames) + "/" + std::to_string(film.rate.seconds)},
           {"size", to_json(film.size)}});
    for (const auto& [number, f] : film.made)
      out += line({{"film", to_json_name(name)},
                   {"number", number},
                   {"sources", f.sources},
                   {"recipe", f.recipe}});
  }
  for (const auto& [name, made] : more.files)
    out += line({{"file", to_json_name(name)},
                 {"number", made.number},
                 {"recipe", made.recipe},
                 {"sources", made.sources},
                 {"sum", made.sum},
                 {"bytes", made.stamp.bytes},
                 {"inode", made.stamp.inode},
                 {"modified", made.stamp.modified},
                 {"born", made.stamp.born}});
  return out;
}

int append(int fd, const std::string& text) {
  // After a line that was cut off a new one begins.
  char last = '\n';
  const auto size = ::lseek(fd, 0, SEEK_END);
  if (size > 0 && ::pread(fd, &last, 1, size - 1) != 1) return errno;
  const std::string all = (last == '\n' ? "" : "\n") + text;
  if (const int code =
          write_all(fd, {reinterpret_cast<const std::uint8_t*>(all.data()), all.size()});
      code != 0) {
    // Half a line says nothing, but a full disk need not keep it.
    if (size >= 0 && ::ftruncate(fd, size) != 0) return errno;
    return code;
  }
  return ::fsync(fd) == 0 ? 0 : errno;
}

}  // namespace

bool is_manifest(const std::string& name) {
  constexpr std::string_view kBegin = "tsukimi-export.", kEnd = "jsonl";
  if (!name.starts_with(kBegin) || !name.ends_with(kEnd)) return false;
  const std::string part = name.substr(kBegin.size(), name.size() - kBegin.size() - kEnd.size());
  return part.empty() || (part.size() > 1 && part.back() == '.' &&
                          part.find_first_not_of("0123456789") == part.size() - 1);
}

namespace {

// Of part 0, and of the parts that somebody made by themselves.
std::vector<fs::path> manifests_in(const fs::path& folder) {
  std::vector<fs::path> out;
  std::error_code ec;
  for (fs::directory_iterator at(folder, ec), end; !ec && at != end; at.increment(ec))
    if (is_manifest(at->path().filename().string())) out.push_back(at->path());
  std::ranges::sort(out);
  return out;
}

fs::path manifest_of(const fs::path& folder, int part) {
  return folder / (part == 0 ? std::string(kManifestName)
                             : "tsukimi-export." + std::to_string(part) + ".jsonl");
}

Result<void> read_into(const fs::path& file, Manifest& out) {
  if (!stamp_of(file)) return {};
  const auto bytes = read_file(file, 1u << 30);
  if (!bytes) return tl::unexpected(bytes.error());
  if (bytes->empty()) return {};  // begun, and cut off at once
  bool first = true;
  for (auto at = bytes->begin(); at != bytes->end();) {
    const auto end = std::find(at, bytes->end(), '\n');
    const std::string text(at, end);
    if (first && !is_head(text))
      return fail(file.string() +
                  " is damaged, or was not made by an export. Nothing was written; "
                  "move it away or choose another folder.");
    if (!first) read_line(text, out);
    first = false;
    at = end == bytes->end() ? end : end + 1;
  }
  return {};
}

}  // namespace

Result<Manifest> read_manifest(const fs::path& folder) {
  Manifest out;
  for (const fs::path& file : manifests_in(folder))
    if (auto ok = read_into(file, out); !ok) return tl::unexpected(ok.error());
  return out;
}

Result<void> add_to_manifest(const fs::path& folder, const Manifest& more, int part) {
  const fs::path file = manifest_of(folder, part);
  // The first line stands whole or not at all: by it the file is known.
  if (const auto there = stamp_of(file); !there || there->bytes == 0)
    if (auto ok = write_file(file, line({{"format", kFormat}, {"schema", kSchema}}),
                             there ? IfExists::replace : IfExists::keep);
        !ok)
      return ok;
  const int fd = ::open(file.c_str(), O_RDWR | O_APPEND | O_CLOEXEC | O_NOFOLLOW);
  const int code = fd < 0 ? errno : append(fd, lines_of(more));
  if (fd >= 0) ::close(fd);
  if (code != 0) return fail(file.string() + " cannot be written: " + std::strerror(code) + ".");
  return {};
}

bool is_made_file(const fs::path& file, MadeFile& made) {
  const auto there = stamp_of(file);
  if (!there) return false;
  if (made.stamp.same_file(*there)) return true;
  if (made.sum.empty() || made.stamp.bytes != there->bytes) return false;
  const auto sum = file_checksum(file);
  if (!sum || *sum != made.sum) return false;
  made.stamp = *there;
  return true;
}

std::string picture_text(const FilmRecipe& recipe) {
  return "e" + std::to_string(kEngine) + " " + text_of(recipe);
}

std::string export_recipe(const FilmRecipe& recipe, const ExportSettings& how) {
  std::string out = picture_text(recipe) + " " + info(how.format).name + " " + info(how.space).name;
  const FormatInfo& format = info(how.format);
  if (format.quality) out += " " + std::to_string(how.quality) + " " + kChromas[how.chroma].name;
  if (format.compressions) out += std::string(" ") + kCompressions[how.compression].name;
  if (!how.copyright.empty()) out += " by " + how.copyright;
  if (how.icc != 4) out += " icc" + std::to_string(how.icc);
  if (!how.location) out += " nowhere";
  return out;
}

std::string hash_of(const std::string& recipe) { return cache_name(recipe); }

}  // namespace tsukimi
