// The document: one sequence of frames and all that was decided about it.
//
// Frames are numbered from 0 in the order of the sequence. Pure data and pure functions; the file
// format is in shoot_file.h.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "adjust/interpolate.h"
#include "develop/develop.h"
#include "folder/sequence.h"
#include "light/deflicker.h"
#include "light/level.h"

namespace tsukimi {

struct KeyFrame {
  int frame = 0;
  Look look;
  bool operator==(const KeyFrame&) const = default;
};

struct Framing {
  std::string aspect;  // "16:9"; empty: the whole frame
  Rect crop;
  bool operator==(const Framing&) const = default;
};

enum class FileFormat { tiff16, jpeg };

struct ExportSettings {
  std::string folder;  // empty: not chosen yet
  std::string pattern = "frame_#####";
  FileFormat format = FileFormat::jpeg;
  int quality = 92;  // JPEG, 1..100
  Size size;         // 0x0: as many pixels as the crop has
  bool operator==(const ExportSettings&) const = default;
};

// What becomes of frames that are set aside between kept ones: up to three in a row are filled and
// longer runs closed up, or all the one way or the other.
enum class AsidePolicy { automatic, fill, close_up };

// What undo and redo move between.
struct Decisions {
  FrameOrder order = FrameOrder::name;  // sort_shoot() changes it
  std::vector<int> set_aside;           // frames left out of the film, ascending
  std::vector<int> looked_at;           // suspects that the photographer keeps, ascending
  AsidePolicy aside = AsidePolicy::automatic;
  std::vector<KeyFrame> keys;  // ascending; none: every frame as shot
  LevelSettings level;
  DeflickerSettings deflicker;
  Framing framing;
  double fps = 24;
  int in = 0, out = -1;  // first and last frame of the film; out -1: to the end
  ExportSettings output;
  bool operator==(const Decisions&) const = default;
};

struct Shoot {
  Sequence sequence;
  TemperatureTint as_shot{5500, 0};  // of the first frame that can be read
  Decisions decisions;
  std::shared_ptr<const HotPixels> hot_pixels;  // found on demand; none: not looked for
  std::shared_ptr<LensLibrary> lenses = std::make_shared<LensLibrary>();

  int frame_count() const { return static_cast<int>(sequence.frames.size()); }
};

// The untouched sequence: reads one frame for the camera's white balance. Fails when no frame can
// be read at all.
Result<Shoot> start_shoot(Sequence sequence);

// Every parameter over all frames, through the key frames, over capture time.
class LookCourse {
 public:
  explicit LookCourse(const Shoot& shoot);
  Look at(int frame) const;
  double at(Param p, int frame) const;
  double place(int frame) const { return axis_[frame]; }  // in time, in intervals

 private:
  Look constant_;
  std::vector<double> axis_;
  std::vector<MonotoneCurve> curves_;  // empty without key frames
};

// Key frames. Adding one keeps the picture: it takes the values that the courses have there.
int key_at(const Decisions& decisions, int frame);  // index into keys, -1 if none
void add_key(Shoot& shoot, int frame);
void remove_key(Shoot& shoot, int frame);
// Sets a value at the key frame there, making one if there is none; or, with `everywhere`, moves it
// at all key frames by the same amount (on the parameter's scale).
void set_value(Shoot& shoot, Param p, int frame, double value, bool everywhere = false);

// Puts the frames into this order; all decisions stay with the frames that they were made for.
void sort_shoot(Shoot& shoot, FrameOrder order);

// Frames that a camera has taken since go behind the others; what is decided stays.
void append_frames(Shoot& shoot, std::vector<FrameInfo> frames);

// What developing takes for a frame's ISO: 100 where it is not known.
inline double iso_of(const FrameInfo& frame) { return frame.iso > 0 ? frame.iso : 100; }

Size output_size(const Shoot& shoot);  // of exported frames

// The part of the frame that is exported: the crop, trimmed evenly to the shape of the output size
// so that nothing is ever stretched.
Rect film_rect(const Shoot& shoot);

// A sentence that says so when the trimming takes more than half a per cent, else empty.
std::string shape_note(const Shoot& shoot);

}  // namespace tsukimi
