// SPDX-License-Identifier: GPL-3.0-or-later
// From light grids to corrections: measure, level, deflicker, in one go.
#pragma once

#include "document/shoot/shoot.h"
#include "light/colour_flicker.h"
#include "measure/brightness.h"
#include "measure/flicker_left.h"
#include "measure/suspects.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// One entry per frame of the sequence; no grid where a frame is not usable or not read yet.
using LightGrids = std::vector<std::optional<LightGrid>>;

// What measuring keeps of every frame, about 32 kB each, and what the checks found.
struct Measured {
  LightGrids grids;
  std::vector<std::optional<FrameSigns>> signs;
  std::vector<Suspect> suspects;  // of all frames, also of those that are set aside already
};

// Reads (or makes) every frame's proxy in parallel and marks frames that cannot be read in
// shoot.sequence; finds suspects, or remembers them (checks.h). What is `known` is not measured
// again (a camera that is still shooting adds frames at the end; a frame that was away may be
// back). Cancelled work leaves the rest without a grid.
Measured measure_frames(Shoot& shoot, ProxyStore& store, const Work& work = {},
                        Measured known = {});

// The same for who needs only the light.
LightGrids measure_light(Shoot& shoot, ProxyStore& store, const Work& work = {});

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
  // What of the correction of flicker is not the same over the frame, and not in all colours.
  std::vector<FlickerShape> shapes;
  ColourFlicker colours;
  LevelResult level;
  DeflickerResult deflicker;
  FlickerLeft left;                 // measured in the pictures
  double noise_percent = 0;         // what is left at best, by the noise in the pictures
  std::vector<FlickerFound> found;  // beside one factor a frame, also where it is not taken out

  // What is done to a frame's light; nothing to frames that came after the plan was made.
  Light light(int frame) const;
  // The same of the whole frame alone, stops.
  double correction(int frame) const {
    return frame < static_cast<int>(level_correction.size())
               ? level_correction[frame] + flicker_correction[frame]
               : 0;
  }
};

// The light as shot: of each frame of the sequence stops relative to clipping (NaN where unknown),
// and the share of the picture's steady weight that agrees with it (light/flicker.h).
struct AsShot {
  std::vector<double> stops, agreement;
  double noise = 0;  // of it, stops
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

// Measures the air at a key frame and stores it in its look (see develop/local_light.h), or gives
// it a proposed look (develop/propose.h). Nothing when its picture cannot be read.
void set_airlight(Shoot& shoot, ProxyStore& store, const LightPlan& plan, int frame);
void propose_at(Shoot& shoot, ProxyStore& store, const LightPlan& plan, int frame);

// The kept frames among the first `count`, ascending.
std::vector<int> kept_frames(const Shoot& shoot, std::size_t count);

}  // namespace tsukimi
