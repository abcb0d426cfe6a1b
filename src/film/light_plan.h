// SPDX-License-Identifier: GPL-3.0-or-later
// From light grids to corrections: level and deflicker, in one go.
#pragma once

#include "film/measure_frames.h"
#include "light/colour_flicker.h"
#include "measure/brightness.h"
#include "measure/flicker_left.h"

namespace tsukimi {

// Flicker that is not one factor a frame, as a whole.
struct FlickerFound {
  FlickerKind kind = FlickerKind::part;
  double percent = 0;    // of light: RMS over the frames and the frame, or over the colours
  GainField::Wave wave;  // of bands: which way, and how many cycles
};

// Stops per frame of the sequence; NaN where unknown.
struct LightPlan {
  std::vector<double> as_shot, levelled, deflickered, goal;
  std::vector<double> level_correction, flicker_correction;  // 0 where unknown
  std::vector<double> stair;       // the camera's gain as it is levelled, up to a constant
  std::vector<double> evening;     // what handles add to levelling; 0 where unknown
  std::vector<MergeInfo> merging;  // of each frame (film/merge_plan.h); empty: nothing is merged
  // What of the correction of flicker is not the same over the frame, and not in all colours.
  std::vector<FlickerShape> shapes;
  ColourFlicker colours;
  // What is taken out of frames with events, where they shine.
  struct Softened {
    int frame = 0;
    GainField field;  // stops that are added
  };
  std::vector<Softened> softened;
  LevelResult level;
  DeflickerResult deflicker;
  FlickerLeft left;                 // measured in the pictures
  double noise_percent = 0;         // what is left at best, by the noise in the pictures
  std::vector<FlickerFound> found;  // beside one factor a frame, also where it is not taken out

  // By what the shots of a frame are merged; empty: by what is measured in them.
  MergeInfo merging_of(int frame) const {
    return frame < static_cast<int>(merging.size()) ? merging[frame] : MergeInfo();
  }
  // What is done to a frame's light; nothing to frames that came after the plan was made.
  Light light(int frame) const;
  // The same of the whole frame alone, stops.
  double correction(int frame) const {
    return frame < static_cast<int>(level_correction.size())
               ? level_correction[frame] + flicker_correction[frame]
               : 0;
  }
};

// The same without what takes flicker out.
LightPlan with_its_flicker(LightPlan plan);

// The light as shot: of each frame of the sequence stops relative to clipping (NaN where unknown),
// and the share of the picture's steady weight that agrees with it (light/flicker.h).
struct AsShot {
  std::vector<double> stops, agreement;
  double noise = 0;           // of it, stops
  std::vector<float> steady;  // of each cell how steady it is (Flicker::steady); empty: not known
  // What is not the same over the frame and in all colours (light/uneven.h), on top; NaN
  // where unknown.
  std::vector<FlickerShape> shapes;
  ColourFlicker colours;
};

// The slow half (cell statistics; depends on the steady area and on what is set aside) and the fast
// half (live under a slider) apart.
AsShot light_as_shot(const Shoot& shoot, const LightGrids& grids);
LightPlan plan_light(const Shoot& shoot, const LightGrids& grids, const AsShot& as_shot);
LightPlan plan_light(const Shoot& shoot, const LightGrids& grids);
// A plan of the same frames, of which no more than the period and the limit of deflicker differ: at
// once, for a hand that drags. What is left in the pictures is not measured again: as in `before`.
LightPlan plan_again(const Shoot& shoot, const LightPlan& before, const AsShot& as_shot);

// Measures the air at a key frame and stores it in its look (see develop/local_light.h), or gives
// it a proposed look (develop/propose.h). Nothing when its picture cannot be read.
void set_airlight(Shoot& shoot, ProxyStore& store, const LightPlan& plan, int frame);
void propose_at(Shoot& shoot, ProxyStore& store, const LightPlan& plan, int frame);

// The kept frames among the first `count`, ascending.
std::vector<int> kept_frames(const Shoot& shoot, std::size_t count);

}  // namespace tsukimi
