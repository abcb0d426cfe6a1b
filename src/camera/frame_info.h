// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of one frame without decoding its picture.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/result.h"
#include "base/text.h"
#include "camera/frame_id.h"
#include "image/image.h"

namespace tsukimi {

struct Location {
  double latitude, longitude;      // degrees, north and east positive
  std::optional<double> altitude;  // m above the sea
  std::string method;              // how it was found: "GPS", "CELLID", ...; empty: unknown
  bool operator==(const Location&) const = default;
};

struct FrameInfo {
  FrameId id = FrameId::none;  // given by the sequence that it is in
  std::string file;            // name within the shoot's folder: bytes, as file systems have them
  double time = 0;   // capture time in s since 1970, camera clock, to 1/100 s if known; 0: unknown
  std::string zone;  // of that clock against UTC, "+02:00"; empty: unknown
  double shutter = 0;         // s, as EXIF says it; 0: unknown
  double aperture = 0;        // f-number; 0: unknown
  double iso = 0;             // 0: unknown
  double focal_length = 0;    // mm; 0: unknown
  double focus_distance = 0;  // m; 0: unknown
  double white_balance = 0;   // the camera's gain of blue over that of red; 0: unknown
  std::string maker, camera, lens, artist;
  std::string serial;  // of the camera's body; empty: unknown
  Size size;           // as displayed (orientation applied)
  std::optional<Location> location;
  std::uint64_t bytes = 0;
  std::int64_t modified = 0;  // ns
  // ns; when anything about the file changed: nobody can set it back, as `modified` can be. Not for
  // recipes: a copy has another.
  std::int64_t changed = 0;
  std::string problem;  // not empty: this frame cannot be used, and why
  bool away = false;    // that problem may be over in a moment (ErrorCode::unavailable)
  // The other shots of the same moment, a bracket, in the order of capture; empty: a single shot.
  // They have no others themselves (folder/moments.h).
  std::vector<FrameInfo> others;
  // Of a shot that is merged with others: how far its picture lies from that of the frame's own, in
  // pixels of the sensor as it lies in the file.
  double dx = 0, dy = 0;
  bool merged = true;  // the frame is made of all of them; false: of this shot alone
  // Stops by which the frame counts as exposed more than this shot: where its moment lacks the shot
  // that is the frame in the others.
  double as_if = 0;

  bool usable() const { return problem.empty(); }
  bool is_merged() const { return merged && !others.empty(); }
  bool operator==(const FrameInfo&) const = default;
};

// Camera gain of the shot in stops, log2(t * S / (100 * N^2)), from the EXIF numbers as they stand.
// Unknown values count as 1 s, ISO 100, f/1: says nothing unless gain_is_known().
double nominal_gain(const FrameInfo& frame);
inline bool gain_is_known(const FrameInfo& f) {
  return f.shutter > 0 && f.iso > 0 && f.aperture > 0;
}

// The same, as_if with it, with every number moved to the exact third of a stop that it stands for
// (a "1/13 s" is 2^(-11/3) s). A value that is not within 0.12 stops of a third is taken as it is.
double exact_gain(const FrameInfo& frame);

// Exact gains that can be compared with one another: of the frames that tell the same of shutter,
// ISO and aperture as most of them do (a lens without contacts tells no aperture on any frame,
// which does no harm). Nothing for the others: their gain is unknown.
std::vector<std::optional<double>> comparable_gains(const std::vector<FrameInfo>& frames);

// What noise to expect: 100 where the ISO is not known.
inline double iso_of(const FrameInfo& frame) { return frame.iso > 0 ? frame.iso : 100; }

// Reads EXIF through Exiv2. A file that cannot be read comes back with `problem` set.
FrameInfo read_frame_info(const std::filesystem::path& path);

// Whether the file in `folder` is still the one of which `frame` was read, and those of the shots
// that are merged with it. Fails (unavailable: it
// can be read anew) when it has another size or time of writing, or when anything else was done to
// it.
Result<void> check_unchanged(const std::filesystem::path& folder, const FrameInfo& frame);
// The same for all that a copy keeps, size and time of writing.
Result<void> check_same_file(const std::filesystem::path& folder, const FrameInfo& frame);

// Marks a frame as one that cannot be used, by what reading it said (the file's name in front).
void set_problem(FrameInfo& frame, const Error& why);

// Of a zone as EXIF has it, "+02:00": its seconds before UTC. Nothing when it is none.
std::optional<int> zone_seconds(const std::string& zone);

// Capture time as "2031-10-04 18:42:20.00"; empty when unknown.
std::string format_time(double time);
std::string format_clock(double time);       // "18:42:20"
std::string format_shutter(double seconds);  // "1/13 s", "2.5 s"

}  // namespace tsukimi
