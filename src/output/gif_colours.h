// SPDX-License-Identifier: GPL-3.0-or-later
// The 255 colours of an animated GIF, and how a picture is drawn in them.
//
// Colours: k-means (Lloyd 1982) of all that is seen in the film, begun by cutting in two where
// colours differ most (after Heckbert 1982), and the outermost ones as they are, so that what is
// mixed of them reaches all colours. Drawing: an ordered pattern of 4 x 4 places whose sixteen
// colours have the mean that is wanted, found one after the other: near to what is wanted, and to
// what those before it leave. Mixes are known at every fourth step of a channel; between two of
// them one is taken in as many cells of the pattern as is due. So the mean is kept, without a bias,
// and the pattern lies still from frame to frame.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

namespace tsukimi {

// Pixels are 0xRRGGBB, in the colours of sRGB.
using GifPixel = std::uint32_t;

class GifColours {
 public:
  static constexpr int kColours = 255;  // the last of 256 says that nothing has changed

  GifColours();
  // Of all that is to be drawn, before the first draw().
  void see(const GifPixel* pixels, std::size_t count);
  void choose();
  const std::vector<GifPixel>& palette() const { return palette_; }  // at most kColours
  // A row of a picture, from its left border: numbers of colours.
  void draw(const GifPixel* pixels, int width, int row, std::uint8_t* out) const;

 private:
  static constexpr int kPlaces = 16;
  struct Bin {
    std::uint64_t count = 0;
    std::array<std::uint64_t, 3> sum{};
    std::array<float, 3> mean() const;
  };
  std::vector<Bin> bins_;  // of four steps a channel
  std::vector<GifPixel> palette_;
  std::vector<std::array<std::uint8_t, kPlaces>> mix_;  // at the corners of bins, dark to bright
};

}  // namespace tsukimi
