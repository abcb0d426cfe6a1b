// SPDX-License-Identifier: GPL-3.0-or-later
#include "framing/geometry.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace tsukimi {
std::optional<double> parse_aspect(const std::string& text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos) return {};
  double a = 0, b = 0;
  const char* end = text.data() + text.size();
  const auto ra = std::from_chars(text.data(), text.data() + colon, a);
  const auto rb = std::from_chars(text.data() + colon + 1, end, b);
  if (ra.ec != std::errc() || ra.ptr != text.data() + colon || rb.ec != std::errc() ||
      rb.ptr != end)
    return {};
  if (!(a > 0 && b > 0 && a / b < 20 && b / a < 20)) return {};
  return a / b;
}

Rect crop_to_aspect(Size frame, double aspect) {
  const double have = static_cast<double>(frame.width) / frame.height;
  Rect r;
  if (have > aspect)
    r.w = aspect / have;
  else
    r.h = have / aspect;
  r.x = (1 - r.w) / 2;
  r.y = (1 - r.h) / 2;
  return r;
}

Rect moved_inside(Rect r, double x, double y) {
  r.x = std::clamp(x, 0.0, 1 - r.w);
  r.y = std::clamp(y, 0.0, 1 - r.h);
  return r;
}

Size natural_size(Size frame, Rect part) {
  if (part.w == 1 && part.h == 1) return frame;
  auto even = [](double v) { return std::max(2, static_cast<int>(std::floor(v / 2 + 1e-6)) * 2); };
  return {even(frame.width * part.w), even(frame.height * part.h)};
}

}  // namespace tsukimi
