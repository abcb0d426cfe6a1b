#include "document/key_frames.h"

#include <algorithm>

#include "document/place_keys.h"
#include "document/values.h"

namespace tsukimi {
namespace {

bool is_place(const KeyTarget& target) { return target.kind == kPlace; }

}  // namespace

std::vector<int> key_frames(const Shoot& shoot, const KeyTarget& target) {
  return is_place(target) ? key_places_of_place(shoot, target.number) : key_places(shoot, target);
}

bool has_key_frame(const Shoot& shoot, int frame, const KeyTarget& target) {
  return std::ranges::binary_search(key_frames(shoot, target), frame);
}

void make_key_frame(Shoot& shoot, int frame, const KeyTarget& target) {
  is_place(target) ? add_place_key(shoot, target.number, frame) : add_key(shoot, frame, target);
}

void remove_key_frame(Shoot& shoot, int frame, const KeyTarget& target) {
  is_place(target) ? remove_place_key(shoot, target.number, frame)
                   : remove_key(shoot, frame, target);
}

bool move_key_frame(Shoot& shoot, int from, int to, const KeyTarget& target) {
  return is_place(target) ? move_place_key(shoot, target.number, from, to)
                          : move_key(shoot, from, to, target);
}

Easing key_frame_easing(const Shoot& shoot, int frame, const KeyTarget& target) {
  return is_place(target) ? place_easing(shoot, target.number, frame)
                          : easing_at(shoot, frame, target);
}

void set_key_frame_easing(Shoot& shoot, int frame, Easing easing, const KeyTarget& target) {
  is_place(target) ? set_place_easing(shoot, target.number, frame, easing)
                   : set_easing(shoot, frame, easing, target);
}

}  // namespace tsukimi
