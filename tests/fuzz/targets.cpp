// SPDX-License-Identifier: GPL-3.0-or-later
// What reads files that others may have damaged, fed with bytes by a fuzzer. One program per target
// (TSUKIMI_FUZZ_TARGET): whatever the bytes, the answer is an error or a value.
#include <stdlib.h>

#include <algorithm>
#include <filesystem>
#include <fstream>

#include "base/cache.h"
#include "base/file.h"
#include "camera/black_level.h"
#include "camera/lossless_jpeg.h"
#include "camera/sensor_frame.h"
#include "camera/tiff_tags.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/checks.h"
#include "output/export_manifest.h"
#include "output/saved_export.h"
#include "queue/queue.h"

namespace {
namespace fs = std::filesystem;
using namespace tsukimi;

const fs::path& folder() {
  static const fs::path path = [] {
    std::string name = (fs::exists("/dev/shm") ? fs::path("/dev/shm") : fs::temp_directory_path()) /
                       "tsukimi-fuzz-XXXXXX";
    const fs::path made = mkdtemp(name.data());
    setenv("XDG_CACHE_HOME", (made / "cache").c_str(), 1);
    std::atexit([] {
      std::error_code ec;
      fs::remove_all(folder(), ec);
    });
    return made;
  }();
  return path;
}

void put(const fs::path& file, const std::uint8_t* data, std::size_t size) {
  std::ofstream(file, std::ios::binary)
      .write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
}

[[maybe_unused]] void shoot_file(const std::uint8_t* data, std::size_t size) {
  const fs::path file = folder() / "a.tsukimi";
  put(file, data, size);
  const auto shoot = open_shoot(file);
  // What could be opened can be saved and opened again.
  if (shoot && save_shoot(*shoot, folder() / "b.tsukimi"))
    if (!open_shoot(folder() / "b.tsukimi")) std::abort();
}

[[maybe_unused]] void manifest(const std::uint8_t* data, std::size_t size) {
  put(folder() / kManifestName, data, size);
  if (const auto known = read_manifest(folder())) {
    if (!add_to_manifest(folder(), *known)) std::abort();
    // What was read and added once more says the same.
    const auto again = read_manifest(folder());
    if (!again || again->files != known->files) std::abort();
  }
}

[[maybe_unused]] void queue(const std::uint8_t* data, std::size_t size) {
  put(folder() / "queue.json", data, size);
  Queue jobs(folder());
  const auto before = jobs.list();
  if (!before) return;
  // What can be read can be worked on, and read again.
  for (const QueuedJob& job : *before) (void)jobs.pause(job.id);
  (void)jobs.clear_ended();
  const auto after = jobs.list();
  if (!after || after->size() > before->size()) std::abort();
}

[[maybe_unused]] void settings(const std::uint8_t* data, std::size_t size) {
  const fs::path file = folder() / "a.json", other = folder() / "b.json";
  put(file, data, size);
  const auto saved = read_export(file);
  if (!saved || !write_export(*saved, other)) return;
  const auto again = read_export(other);
  if (!again || again->job != saved->job) std::abort();
}

[[maybe_unused]] void cache(const std::uint8_t* data, std::size_t size) {
  const fs::path file = folder() / "a.proxy";
  put(file, data, size);
  (void)load_proxy(file);
  (void)load_proxy_head(file);
  (void)load_cached(file);
  // Findings whose checksum is right, whatever they say.
  Shoot shoot;
  shoot.sequence.folder = folder();
  shoot.sequence.frames.resize(2);
  set_value(shoot, Param::hot_pixels, 0, 50);
  save_checks(shoot, {});
  for (const auto& e : fs::directory_iterator(cache_folder() / "checks"))
    (void)save_cached(e.path(), {data, size});
  (void)load_checks(shoot);
}

[[maybe_unused]] void raw(const std::uint8_t* data, std::size_t size) {
  const fs::path file = folder() / "a.dng";
  put(file, data, size);
  (void)read_frame_info(file);
  if (const auto tags = TiffTags::read(file)) {
    (void)raw_data_makes_sense(*tags);
    if (const auto levels = read_black_levels(*tags)) (void)(levels->at(3, 5, 0) + levels->most());
  }
  if (const auto frame = read_frame(file)) (void)make_proxy(*frame);
}

// The stream alone: what goes before it in a file stands in no way.
[[maybe_unused]] void lossless(const std::uint8_t* data, std::size_t size) {
  constexpr std::uint8_t kBegin[] = {0xFF, 0xD8, 0xFF, 0xC4};
  const std::span<const std::uint8_t> all(data, size);
  const auto at = std::search(all.begin(), all.end(), std::begin(kBegin), std::end(kBegin));
  const auto stream = all.subspan(at == all.end() ? 0 : static_cast<std::size_t>(at - all.begin()));
  const auto frame = lossless_frame(stream);
  std::size_t lines = 0;
  const bool good =
      decode_lossless(stream, [&](auto line) {
        if (!frame || std::ssize(line) != std::ptrdiff_t{frame->width} * frame->components)
          std::abort();
        ++lines;
      }) == Lossless::whole;
  if (good && lines != static_cast<std::size_t>(frame->height)) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  TSUKIMI_FUZZ_TARGET(data, size);
  return 0;
}
