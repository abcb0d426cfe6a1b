#include <algorithm>
#include <cctype>
#include <exception>

#include "frames/sensor_frame.h"

namespace tsukimi {

Result<SensorFrame> read_frame(const std::filesystem::path& path) {
  std::string ext = path.extension().string();
  std::transform(ext.begin(), ext.end(), ext.begin(),
                 [](unsigned char c) { return std::tolower(c); });
  const bool still =
      ext == ".jpg" || ext == ".jpeg" || ext == ".png" || ext == ".tif" || ext == ".tiff";
  std::error_code ec;
  const auto bytes = std::filesystem::file_size(path, ec);
  if (ec) return fail(path.filename().string() + " cannot be opened: " + ec.message() + ".");
  if (bytes == 0) return fail(path.filename().string() + " is empty (0 bytes).");
  try {
    return still ? read_still(path) : read_raw(path);
  } catch (const std::exception& e) {  // a decoder ran out of memory on a malformed header
    return fail(path.filename().string() + " cannot be read: " + e.what() + ".");
  }
}

Image oriented(Image in, int orientation) {
  if (orientation <= 1 || orientation > 8) return in;
  const bool swap = orientation >= 5;
  const int w = in.width, h = in.height;
  Image out(swap ? h : w, swap ? w : h);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) {
        int sx = x, sy = y;
        switch (orientation) {
          case 2:
            sx = w - 1 - x;
            break;
          case 3:
            sx = w - 1 - x, sy = h - 1 - y;
            break;
          case 4:
            sy = h - 1 - y;
            break;
          case 5:
            sx = y, sy = x;
            break;
          case 6:
            sx = y, sy = h - 1 - x;
            break;
          case 7:
            sx = w - 1 - y, sy = h - 1 - x;
            break;
          case 8:
            sx = w - 1 - y, sy = x;
            break;
          default:
            break;
        }
        out.planes[c].at(x, y) = in.planes[c].at(sx, sy);
      }
  return out;
}

}  // namespace tsukimi
