// Key frames as they are seen on the lane and worked on with the mouse: of a place those of its
// values and of its shapes together (place_keys.h), of everything else those of its values.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

std::vector<int> key_frames(const Shoot& shoot, const KeyTarget& target);  // ascending
bool has_key_frame(const Shoot& shoot, int frame, const KeyTarget& target);
// As everything runs there now.
void make_key_frame(Shoot& shoot, int frame, const KeyTarget& target);
// A place keeps its last one, and so does a glide: end_glide() (framing_edit.h) ends that.
void remove_key_frame(Shoot& shoot, int frame, const KeyTarget& target);
// False, and nothing done, where there is none, or one stands at `to` already.
bool move_key_frame(Shoot& shoot, int from, int to, const KeyTarget& target);
Easing key_frame_easing(const Shoot& shoot, int frame, const KeyTarget& target);
void set_key_frame_easing(Shoot& shoot, int frame, Easing easing, const KeyTarget& target);

}  // namespace tsukimi
