#include <exception>

#include "frames/frame_files.h"
#include "frames/sensor_frame.h"

namespace tsukimi {

Result<SensorFrame> read_frame(const std::filesystem::path& path) {
  std::error_code ec;
  const auto bytes = std::filesystem::file_size(path, ec);
  if (ec) return fail(path.filename().string() + " cannot be opened: " + ec.message() + ".");
  if (bytes == 0) return fail(path.filename().string() + " is empty (0 bytes).");
  try {
    return kind_of(path) == FileKind::still ? read_still(path) : read_raw(path);
  } catch (const std::exception& e) {  // a decoder ran out of memory on a malformed header
    return fail(path.filename().string() + " cannot be read: " + e.what() + ".");
  }
}

}  // namespace tsukimi
