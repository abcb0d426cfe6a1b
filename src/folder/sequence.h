// SPDX-License-Identifier: GPL-3.0-or-later
// A folder of frames: what is in it, in which order, and the facts a photographer looks at first.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/parallel.h"
#include "camera/frame_info.h"
#include "folder/frame_files.h"
#include "folder/moments.h"
#include "folder/order.h"
#include "folder/split.h"

namespace tsukimi {

struct Gap {
  int after = 0;    // frame index before the gap
  int missing = 0;  // how many frames are missing
  bool in_numbering = false, in_time = false;
};

// A change of the camera's exposure between frame `at` - 1 and frame `at`.
struct ExposureStep {
  int at = 0;
  double stops = 0;  // change of the exact camera gain; 0 when shutter and ISO were traded
  std::string what;  // "shutter 1/60 s → 1/50 s"
};

// Any change of the settings: exposure, focal length, focus distance, white balance.
struct SettingChange {
  int at = 0;
  std::string what;
};

struct Sequence {
  std::filesystem::path folder;
  std::vector<FrameInfo> frames;
  std::vector<int> places;  // of the frames, by their ids and those of their other shots
  FrameOrder order = FrameOrder::name;
  Ordering ordering;  // how the two orders agree
  Pairs pairs = Pairs::raw;
  Bracketing brackets;             // how shots became frames
  bool whole_folder = true;        // false: the folder holds frames that are none of this sequence
  int paired = 0;                  // shots that are there as raw and as still picture
  std::vector<std::string> notes;  // what the user should know: files left out, order against time
  double interval = 0;             // median s between captures; 0: unknown
  double jitter = 0;               // s, root mean square of what intervals differ from it
  Size noted;                      // by the metadata of most frames
  Size size;                       // of what is developed of them
  std::vector<Gap> gaps;
  std::vector<ExposureStep> steps;
  std::vector<SettingChange> changes;

  FrameId id_of(int frame) const { return frames[frame].id; }
  int place_of(FrameId id) const {  // -1: no such frame
    const auto i = static_cast<std::size_t>(id);
    return i < places.size() ? places[i] : -1;
  }
  // What is known of a frame now; find_facts() follows.
  void put(int frame, FrameInfo info) {
    info.id = frames[frame].id;
    info.merged = frames[frame].merged;
    info.as_if = frames[frame].as_if;
    if (info.others.empty()) info.others = std::move(frames[frame].others);
    frames[frame] = std::move(info);
  }
};

struct ScanOptions {
  FrameOrder order = FrameOrder::name;
  Pairs pairs = Pairs::raw;
  // Called before metadata is read, so that a first picture can be shown while that goes on.
  std::function<void(const std::filesystem::path&)> first_file = {};
};

// A folder with everything in it, which may be several sequences.
struct FolderScan {
  std::filesystem::path folder;
  ScanOptions options;
  std::vector<FrameInfo> frames;  // in order
  Ordering ordering;
  std::size_t pairs = 0;
  std::vector<std::string> notes;
  std::vector<Part> parts;
};

// Reads the metadata of all picture files of a folder (not of its subfolders), in parallel. Files
// of other kinds are left out with a note; unreadable ones stay in the list with their problem.
// Fails when the folder cannot be read or holds no picture file.
Result<FolderScan> read_folder(const std::filesystem::path& folder, ScanOptions options = {},
                               const Work& work = {});

// What read_folder makes of frames whose metadata was read: puts them in order, splits them.
FolderScan arrange(const std::filesystem::path& folder, std::vector<FrameInfo> frames,
                   const FrameFiles& files, ScanOptions options);

// Reads the metadata of these files, in parallel; false when cancelled.
bool read_infos(const std::vector<std::filesystem::path>& files, std::vector<FrameInfo>& out,
                const Work& work = {});

// The shots of one part (indices into scan.frames; none: all of them) as a sequence, with facts.
// how: what becomes of brackets; none: those that were found are merged.
Sequence make_sequence(const FolderScan& scan, const std::vector<int>& frames,
                       const std::optional<Bracketing>& how = std::nullopt);

// Shots that are put into moments anew; ids stay with them. find_facts() is done.
void group_frames(Sequence& sequence, const Bracketing& how);

// Everything in a folder as one sequence.
Result<Sequence> scan_folder(const std::filesystem::path& folder, const Work& work = {});

// Whenever frames have come, gone or moved: gives ids to those that have none, and fills in
// interval, jitter, size, gaps, steps, changes and size problems from their metadata.
void find_facts(Sequence& sequence);

// Asks the decoder for the size of what is developed: metadata may count masked borders and
// margins. Reads the head of a file or three: nothing for the window's thread.
void find_size(Sequence& sequence);

// Place of each frame on the time axis in units of the interval, ascending, by capture time.
// Interpolation runs over this axis, so a gap does not bend a curve. Frames without a time, or with
// one that runs against the others', lie between their neighbours; when that is most of them, the
// axis is the index.
std::vector<double> time_axis(const std::vector<FrameInfo>& frames);

}  // namespace tsukimi
