// SPDX-License-Identifier: GPL-3.0-or-later
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

// The frame's header; nothing for a stream that decode_lossless() does not know (other processes,
// more than four components, sub-sampled ones, several scans) or that is damaged.
std::optional<LosslessFrame> lossless_frame(std::span<const std::uint8_t> stream);

// Line by line from the top: width x components samples, those of a pixel side by side.
using LosslessLine = std::function<void(std::span<const std::uint16_t>)>;

// Predictors 1 to 7, point transform, restart intervals. `unknown`: whole, as far as can be told,
// but of a kind that is not known here. `damaged`: cut short, no such code, numbers beyond their
// range, a scan that does not end where its lines do, more than `most` samples; lines that came
// before are as they stand in the stream.
enum class Lossless { whole, unknown, damaged };
Lossless decode_lossless(std::span<const std::uint8_t> stream, const LosslessLine& line,
                         std::uint64_t most = UINT64_MAX);

}  // namespace tsukimi
