// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/kept_places.h"

#include "document/values.h"

namespace tsukimi {

std::vector<LocalPlace> places_to_keep(const Shoot& shoot, int frame) {
  std::vector<LocalPlace> out;
  constexpr FrameId kOnly{0};
  for (const LocalPlace& place : shoot.decisions.places) {
    if (!place.on) continue;
    const PlaceAt at = place_course_of(shoot, place).whole(frame);
    LocalPlace kept = place;
    kept.shapes.clear();
    kept.values.keys = {{kOnly, at.values}};
    for (const ShapeAt& s : at.shapes) {
      if (s.kind == ShapeKind::painted) continue;
      MaskShape& shape = kept.shapes.emplace_back();
      shape.kind = s.kind;
      shape.how = s.how;
      shape.values.kind = s.values.kind;
      shape.values.keys = {{kOnly, s.values}};
    }
    if (kept.shapes.empty() && !place.shapes.empty()) continue;
    out.push_back(std::move(kept));
  }
  return out;
}

void add_kept_places(Shoot& shoot, const std::vector<LocalPlace>& places, int frame) {
  for (LocalPlace place : places) {
    move_keys(place, [&](FrameId) { return shoot.sequence.id_of(frame); });
    shoot.decisions.places.push_back(std::move(place));
  }
}

std::vector<PlaceAt> places_as_kept(const std::vector<LocalPlace>& places) {
  std::vector<PlaceAt> out;
  for (LocalPlace place : places) {
    move_keys(place, [](FrameId) { return FrameId{0}; });
    if (auto at = PlaceCourse(place, {0.0}, {0}).at(0)) out.push_back(std::move(*at));
  }
  return out;
}

}  // namespace tsukimi
