// Lossless JPEG (ITU-T T.81, annex H), as cameras and converters pack their mosaics.
#pragma once

#include <cstdint>
#include <vector>

namespace tsukimi::sim {

// Two components, as cameras do: samples at even and odd columns. Width even; precision 16 bit,
// predictor 1 (the sample to the left).
std::vector<std::uint8_t> lossless_jpeg(const std::uint16_t* samples, int width, int height,
                                        std::size_t stride);

}  // namespace tsukimi::sim
