// SPDX-License-Identifier: GPL-3.0-or-later
// What is decided about the light of single frames: steps, handles of the evening, events. Frames
// by their place.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

// How much of an event there is taken out, 0..1; 0: it is kept.
double softened_share(const Shoot& shoot, int frame);
void soften(Shoot& shoot, int frame, double share);

// What is taken out of the step that begins there.
StepChoice step_choice(const Shoot& shoot, int frame);
void choose_step(Shoot& shoot, int frame, StepUse use, double stops = 0);

// A handle of the evening: set there, moved, taken away.
void set_evening(Shoot& shoot, int frame, double stops);
void remove_evening(Shoot& shoot, int frame);

}  // namespace tsukimi
