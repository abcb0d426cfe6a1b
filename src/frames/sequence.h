// A folder of frames: what is in it, in which order, and the facts a photographer looks at first.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "frames/frame_info.h"
#include "image/parallel.h"

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

struct Sequence {
  std::filesystem::path folder;
  std::vector<FrameInfo> frames;   // natural file order
  std::vector<std::string> notes;  // what the user should know: files left out, order against time
  double interval = 0;             // median s between captures; 0: unknown
  Size size;                       // of most frames
  std::vector<Gap> gaps;
  std::vector<ExposureStep> steps;
};

// Numbers inside names compare as numbers: IMG_9 < IMG_10. Upper and lower case are alike.
bool natural_less(const std::string& a, const std::string& b);

// Reads the metadata of all picture files of a folder (not of its subfolders), in parallel. Files
// of other kinds are left out with a note; unreadable ones stay in the list with their problem.
// Fails when the folder cannot be read or holds no picture file.
Result<Sequence> scan_folder(const std::filesystem::path& folder, const Work& work = {});

// Fills in interval, size, gaps, steps, order notes and size problems from the frames' metadata.
void find_facts(Sequence& sequence);

// Place of each frame on the time axis in units of the interval, from capture time where it
// ascends, else its index. Interpolation runs over this axis, so a gap does not bend a curve.
std::vector<double> time_axis(const std::vector<FrameInfo>& frames);

}  // namespace tsukimi
