// SPDX-License-Identifier: GPL-3.0-or-later
#include <exception>

#include "base/file.h"
#include "base/text.h"
#include "camera/file_kind.h"
#include "camera/sensor_frame.h"

namespace tsukimi {

static Result<SensorFrame> read(const std::filesystem::path& path, Wanted wanted) {
  const std::string name = printable(path.filename().string());
  if (auto ok = check_readable(path); !ok) return tl::unexpected(ok.error());
  std::error_code ec;
  const auto bytes = std::filesystem::file_size(path, ec);
  if (!ec && bytes == 0) return fail(name + " is empty (0 bytes).");
  try {
    auto frame = kind_of(path) == FileKind::still ? read_still(path, wanted) : read_raw(path);
    // A library that found no memory or no free descriptor says that the file is none of its kind.
    if (!frame)
      if (auto still = check_readable(path); !still) return tl::unexpected(still.error());
    return frame;
  } catch (...) {  // a decoder ran out of memory
    return tl::unexpected(error_of(std::current_exception(), name + " cannot be read"));
  }
}

Result<SensorFrame> read_frame(const std::filesystem::path& path) {
  return read(path, Wanted::light);
}

Result<SensorFrame> read_for_proxy(const std::filesystem::path& path) {
  return read(path, Wanted::proxy);
}

Result<SensorFrame> read_to_wait(const std::filesystem::path& path) {
  return read(path, Wanted::later);
}

}  // namespace tsukimi
