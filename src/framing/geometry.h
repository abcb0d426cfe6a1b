// Where the picture is cut and how large it becomes.
#pragma once

#include <optional>
#include <string>

#include "image/image.h"

namespace tsukimi {

// A part of the frame, in fractions of its width and height (orientation applied).
struct Rect {
  double x = 0, y = 0, w = 1, h = 1;
  bool operator==(const Rect&) const = default;
};

// "16:9" to 16/9; nothing when it is not two positive numbers.
std::optional<double> parse_aspect(const std::string& text);

// The largest rectangle of the aspect ratio (width/height) inside a frame, centred.
Rect crop_to_aspect(Size frame, double aspect);

// The same shape moved so that its top left is (x, y), held inside the frame.
Rect moved_inside(Rect rect, double x, double y);

// Cuts `part` out of the image and resamples it to `size` in one pass: Lanczos-3, widened for
// reduction (Turkowski 1990), in the light the image is in. Edge pixels are repeated outside.
Image resample(const Image& image, Rect part, Size size);

// The size a part has at full resolution, in even numbers (films need them).
Size natural_size(Size frame, Rect part);

}  // namespace tsukimi
