#include "bench/frames.h"

#include <map>
#include <stdexcept>

#include "sim/simulate.h"

namespace tsukimi::bench {
namespace fs = std::filesystem;

const fs::path& shot(int width, int height, int frames) {
  static std::map<std::pair<int, int>, fs::path> made;
  auto& folder = made[{width, frames}];
  if (folder.empty()) {
    folder = fs::temp_directory_path() /
             ("tsukimi-bench-" + std::to_string(width) + "x" + std::to_string(frames));
    sim::SimulateOptions o;
    o.size = {width, height};
    o.camera.frames = frames;
    o.folder = folder.string() + ".part";  // one that was cut off while it was made does not count
    if (!fs::exists(folder)) {
      fs::remove_all(o.folder);
      if (const auto ok = sim::simulate(o); !ok) throw std::runtime_error(ok.error().message);
      fs::rename(o.folder, folder);
    }
  }
  return folder;
}

fs::path first_file(const fs::path& folder) { return folder / "TSK_0412.dng"; }

}  // namespace tsukimi::bench
