// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/frames.h"

#include <algorithm>
#include <map>
#include <stdexcept>
#include <tuple>

#include "output/export_job.h"
#include "sim/simulate.h"

namespace tsukimi::bench {
namespace fs = std::filesystem;

namespace {

// The harbour as a camera's own JPEG files.
Result<void> make_stills(const fs::path& raw, const fs::path& folder) {
  auto sequence = scan_folder(raw);
  if (!sequence) return tl::unexpected(sequence.error());
  auto shoot = start_shoot(std::move(*sequence));
  if (!shoot) return tl::unexpected(shoot.error());
  shoot->decisions.output = {.folder = folder.string(),
                             .pattern = "still_####",
                             .format = FileFormat::jpeg,
                             .quality = 92};
  const auto report =
      run_export(*shoot, {}, job_of(shoot->decisions), [](const char*) { return Work{}; });
  if (!report) return tl::unexpected(report.error());
  return {};
}

Result<void> make(const fs::path& folder, int width, int height, int frames, Kind kind) {
  if (kind == Kind::jpeg) return make_stills(shot(width, height, frames), folder);
  sim::SimulateOptions o;
  o.size = {width, height};
  o.camera.frames = frames;
  o.camera.compressed = kind == Kind::packed;
  if (kind == Kind::bits14) o.camera.bits = 14;
  if (kind == Kind::brackets) o.camera.bracket = 3;
  o.folder = folder;
  return sim::simulate(o);
}

}  // namespace

const fs::path& shot(int width, int height, int frames, Kind kind) {
  static std::map<std::tuple<int, int, Kind>, fs::path> made;
  auto& folder = made[{width, frames, kind}];
  if (!folder.empty()) return folder;
  const char* const names[] = {"", "-packed", "-jpeg", "-bits14", "-brackets"};
  folder = fs::temp_directory_path() / ("tsukimi-bench-" + std::to_string(width) + "x" +
                                        std::to_string(frames) + names[static_cast<int>(kind)]);
  if (fs::exists(folder)) return folder;
  const fs::path part = folder.string() + ".part";  // cut off while it is made it does not count
  fs::remove_all(part);
  if (const auto ok = make(part, width, height, frames, kind); !ok)
    throw std::runtime_error(ok.error().message);
  fs::rename(part, folder);
  return folder;
}

// Every adjustment away from its default.
Look graded() {
  Look look = neutral_look(6200, 4);
  for (const auto& row : kLook.rows()) {
    if (row.id == Param::temperature || row.id == Param::tint) continue;
    look[row.id] = row.preset + 0.15 * ((row.preset < row.max ? row.max : row.min) - row.preset);
  }
  look[Param::exposure] = 0.4;
  look[Param::noise] = look[Param::colour_noise] = 50;
  return look;
}

fs::path first_file(const fs::path& folder) {
  std::vector<fs::path> all;
  for (const auto& e : fs::directory_iterator(folder)) {
    const auto kind = e.path().extension();
    if (kind == ".dng" || kind == ".jpg") all.push_back(e.path());
  }
  return *std::ranges::min_element(all);
}

}  // namespace tsukimi::bench
