#include "output/export_manifest.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <nlohmann/json.hpp>

#include "base/cache.h"
#include "base/text.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kFormat = "tsukimi export";
constexpr int kSchema = 2;
constexpr int kEngine = 6;  // raise when the same settings give other bytes

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

void read_line(const std::string& text, Manifest& into) {
  const json j = json::parse(text, nullptr, false);
  if (!j.is_object()) return;
  if (is_text(j, "pattern") && is_text(j, "extension") && is_whole(j, "first") &&
      is_whole(j, "count")) {
    PlannedFiles plan{from_json_name(j["pattern"]), j["extension"], j["first"], j["count"]};
    if (plan.count >= 0 && plan.first >= 0) into.plans.push_back(std::move(plan));
    return;
  }
  if (!is_text(j, "file") || !is_text(j, "recipe") || !is_whole(j, "bytes")) return;
  MadeFile made;
  made.recipe = j["recipe"];
  made.stamp.bytes = j["bytes"].get<std::uint64_t>();
  if (is_whole(j, "number")) made.number = j["number"];
  if (is_text(j, "sources")) made.sources = j["sources"];
  if (is_text(j, "sum")) made.sum = j["sum"];
  if (is_whole(j, "inode")) made.stamp.inode = j["inode"].get<std::uint64_t>();
  if (is_whole(j, "modified")) made.stamp.modified = j["modified"];
  if (is_whole(j, "born")) made.stamp.born = j["born"];
  into.files[from_json_name(j["file"])] = std::move(made);
}

// The bytes of a new manifest, or what is to be added to one.
std::string lines_of(const Manifest& more) {
  std::string out;
  for (const PlannedFiles& p : more.plans)
    out += line({{"pattern", to_json_name(p.pattern)},
                 {"extension", p.extension},
                 {"first", p.first},
                 {"count", p.count}});
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

Result<Manifest> read_manifest(const fs::path& folder) {
  Manifest out;
  const fs::path file = folder / kManifestName;
  if (!stamp_of(file)) return out;
  const auto bytes = read_file(file, 1u << 30);
  if (!bytes) return tl::unexpected(bytes.error());
  if (bytes->empty()) return out;  // begun, and cut off at once
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
  return out;
}

Result<void> add_to_manifest(const fs::path& folder, const Manifest& more) {
  const fs::path file = folder / kManifestName;
  const auto there = stamp_of(file);
  const std::string head =
      there && there->bytes > 0 ? "" : line({{"format", kFormat}, {"schema", kSchema}});
  const int fd = ::open(file.c_str(), O_RDWR | O_CREAT | O_APPEND | O_CLOEXEC | O_NOFOLLOW, 0666);
  const int code = fd < 0 ? errno : append(fd, head + lines_of(more));
  if (fd >= 0) ::close(fd);
  if (code != 0) return fail(file.string() + " cannot be written: " + std::strerror(code) + ".");
  if (!there) return sync_folder(folder);
  return {};
}

std::string export_recipe(const FilmRecipe& recipe, const ExportSettings& how) {
  std::string out = "e" + std::to_string(kEngine) + " " + text_of(recipe) + " " +
                    info(how.format).name + " " + info(how.space).name;
  if (how.format == FileFormat::jpeg)
    out += " " + std::to_string(how.quality) + (how.chroma == Chroma::full ? " 444" : " 420");
  if (how.format == FileFormat::tiff8 || how.format == FileFormat::tiff16)
    out += std::string(" ") + name_of(how.compression);
  if (!how.copyright.empty()) out += " by " + how.copyright;
  if (!how.location) out += " nowhere";
  return out;
}

std::string hash_of(const std::string& recipe) { return cache_name(recipe); }

}  // namespace tsukimi
