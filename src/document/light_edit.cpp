// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/light_edit.h"

#include <algorithm>

namespace tsukimi {
namespace {

template <typename T>
void remove(std::vector<T>& list, FrameId frame) {
  std::erase_if(list, [frame](const T& one) { return one.frame == frame; });
}

// In the place of what stood at its frame; the list stays in order.
template <typename T>
void put(std::vector<T>& list, const T& one) {
  remove(list, one.frame);
  list.insert(std::ranges::upper_bound(list, one.frame, {}, &T::frame), one);
}

}  // namespace

double softened_share(const Shoot& shoot, int frame) {
  const auto& list = shoot.decisions.deflicker.softened;
  const auto it = std::ranges::find(list, shoot.sequence.id_of(frame), &SoftenedEvent::frame);
  return it == list.end() ? 0 : it->share;
}

void soften(Shoot& shoot, int frame, double share) {
  auto& list = shoot.decisions.deflicker.softened;
  const FrameId id = shoot.sequence.id_of(frame);
  share > 0 ? put(list, {id, std::min(share, 1.0)}) : remove(list, id);
}

StepChoice step_choice(const Shoot& shoot, int frame) {
  const auto& list = shoot.decisions.level.choices;
  const FrameId id = shoot.sequence.id_of(frame);
  const auto it = std::ranges::find(list, id, &StepChoice::frame);
  return it == list.end() ? StepChoice{id, StepUse::measured, 0} : *it;
}

void choose_step(Shoot& shoot, int frame, StepUse use, double stops) {
  auto& list = shoot.decisions.level.choices;
  const FrameId id = shoot.sequence.id_of(frame);
  if (use == StepUse::measured)
    remove(list, id);
  else
    put(list, {id, use, use == StepUse::by_hand ? stops : 0});
}

void set_evening(Shoot& shoot, int frame, double stops) {
  put(shoot.decisions.level.evening, {shoot.sequence.id_of(frame), stops});
}

void remove_evening(Shoot& shoot, int frame) {
  remove(shoot.decisions.level.evening, shoot.sequence.id_of(frame));
}

}  // namespace tsukimi
