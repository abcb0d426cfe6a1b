// SPDX-License-Identifier: GPL-3.0-or-later
// A film is encoded in segments that need nothing of each other: each begins with a key frame and
// ends with everything it holds. So one that is finished is kept whatever comes, segments can be
// made anywhere in any order, and are joined without encoding again.
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "document/exports/film_settings.h"

namespace tsukimi {

struct Packet {
  std::int64_t shown = 0,
               decoded = 0;  // in frames from the segment's first; decoded may be below 0
  bool key = false;
  std::vector<std::uint8_t> data;
};

struct Segment {
  int frames = 0;
  int profile = 0, level = 0;         // as the codec numbers them
  std::vector<std::uint8_t> headers;  // that stand before the first packet of the film
  std::vector<Packet> packets;        // as they are decoded
  std::vector<std::string> sources;   // of each frame, checksums of the files it was made of
  LightLevels levels = {};            // of wide light: the most of all frames
};

// How long segments of such a film are: fixed by the settings, not by luck.
int segment_frames(const FilmSettings& settings, Rate rate);

// Encodes one segment. The same pictures give the same bytes, on any machine with the same library.
class SegmentEncoder {
 public:
  // size: both sides even, where the sampling asks for it.
  static Result<SegmentEncoder> open(const FilmSettings& settings, Rate rate, Size size);
  SegmentEncoder(SegmentEncoder&&) noexcept;
  SegmentEncoder& operator=(SegmentEncoder&&) noexcept;
  ~SegmentEncoder();
  Result<void> add(const YCbCr& picture, const std::string& sources);
  Result<Segment> finish();

 private:
  struct State;
  explicit SegmentEncoder(std::unique_ptr<State> state);
  Result<void> take_packets();
  std::unique_ptr<State> state_;
};

// As it lies on the disk, with a checksum. Reading fails when it is damaged.
std::vector<std::uint8_t> bytes_of(const Segment& segment);
Result<Segment> segment_of(std::span<const std::uint8_t> bytes);

}  // namespace tsukimi
