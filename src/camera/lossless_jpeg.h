// Lossless JPEG (ITU-T T.81, process 14), as cameras and converters pack the numbers of a sensor.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <span>

namespace tsukimi {

struct LosslessFrame {
  int width = 0, height = 0, components = 0;  // samples across (of each component), lines
  int bits = 0;                               // of a sample, 2 to 16
};

// The frame's header; nothing for a stream that decode_lossless() does not know: other processes,
// more than four components, sub-sampled ones, several scans.
std::optional<LosslessFrame> lossless_frame(std::span<const std::uint8_t> stream);

// Line by line from the top: width x components samples, those of a pixel side by side.
using LosslessLine = std::function<void(std::span<const std::uint16_t>)>;

// Predictors 1 to 7, point transform, restart intervals. False when it is not known, cut short, or
// damaged; lines that came before that are as they stand in the stream.
bool decode_lossless(std::span<const std::uint8_t> stream, const LosslessLine& line);

}  // namespace tsukimi
