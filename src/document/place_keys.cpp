// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/place_keys.h"

#include <algorithm>
#include <set>

#include "document/values.h"

namespace tsukimi {
namespace {

LocalPlace& place_of(Shoot& shoot, int place) {
  return shoot.decisions.places.at(static_cast<std::size_t>(place));
}
const LocalPlace& place_of(const Shoot& shoot, int place) {
  return shoot.decisions.places.at(static_cast<std::size_t>(place));
}

// fn with every list of key frames of the place.
template <typename Place, typename Fn>
void each_list(Place& place, const Fn& fn) {
  fn(place.values.keys);
  for (auto& shape : place.shapes)
    shape.kind == ShapeKind::painted ? fn(shape.painted) : fn(shape.values.keys);
}

}  // namespace

std::vector<int> key_places_of_place(const Shoot& shoot, int place) {
  std::set<int> out;
  each_list(place_of(shoot, place), [&](const auto& keys) {
    for (const auto& k : keys) out.insert(shoot.sequence.place_of(k.frame));
  });
  return {out.begin(), out.end()};
}

Painting& painting_at_key(Shoot& shoot, int place, int shape, int frame) {
  auto& keys = place_of(shoot, place).shapes.at(static_cast<std::size_t>(shape)).painted;
  const FrameId id = shoot.sequence.id_of(frame);
  const auto there = std::ranges::find(keys, id, &PaintedKey::frame);
  if (there != keys.end()) return there->painting;
  // As it is there: of the key frame before it in time, or the first.
  const ShapeAt now = place_course_of(shoot, place_of(shoot, place))
                          .whole(frame)
                          .shapes.at(static_cast<std::size_t>(shape));
  PaintedKey made{id, now.painting.moved_by(now.from_key, aspect_of(shoot)), true};
  const auto behind = std::ranges::upper_bound(keys, id, {}, &PaintedKey::frame);
  return keys.insert(behind, std::move(made))->painting;
}

void add_place_key(Shoot& shoot, int place, int frame) {
  add_key(shoot, frame, {kPlace, place, 0});
  const auto& shapes = place_of(shoot, place).shapes;
  for (int i = 0; i < std::ssize(shapes); ++i) {
    const MaskShape& shape = shapes[static_cast<std::size_t>(i)];
    if (shape.kind == ShapeKind::painted)
      painting_at_key(shoot, place, i, frame);
    else
      add_key(shoot, frame, {shape.values.kind, place, i});
  }
}

void remove_place_key(Shoot& shoot, int place, int frame) {
  const FrameId id = shoot.sequence.id_of(frame);
  each_list(place_of(shoot, place), [&](auto& keys) {
    if (keys.size() > 1) std::erase_if(keys, [&](const auto& k) { return k.frame == id; });
  });
}

bool move_place_key(Shoot& shoot, int place, int from, int to) {
  if (to < 0 || to >= shoot.frame_count()) return false;
  const auto there = key_places_of_place(shoot, place);
  if (!std::ranges::binary_search(there, from) || std::ranges::binary_search(there, to))
    return false;
  const FrameId a = shoot.sequence.id_of(from), b = shoot.sequence.id_of(to);
  each_list(place_of(shoot, place), [&](auto& keys) {
    for (auto& k : keys)
      if (k.frame == a) k.frame = b;
    std::ranges::sort(keys, {}, [](const auto& k) { return k.frame; });
  });
  return true;
}

Easing place_easing(const Shoot& shoot, int place, int frame) {
  const KeyFrame* key = place_of(shoot, place).values.find(shoot.sequence.id_of(frame));
  if (key) return key->easing;
  for (const MaskShape& shape : place_of(shoot, place).shapes)
    if (const KeyFrame* k = shape.values.find(shoot.sequence.id_of(frame))) return k->easing;
  return Easing::smooth;
}

void set_place_easing(Shoot& shoot, int place, int frame, Easing easing) {
  const FrameId id = shoot.sequence.id_of(frame);
  LocalPlace& p = place_of(shoot, place);
  for (KeyFrame& k : p.values.keys)
    if (k.frame == id) k.easing = easing;
  for (MaskShape& shape : p.shapes) {
    for (KeyFrame& k : shape.values.keys)
      if (k.frame == id) k.easing = easing;
    // What is painted can only stay or dissolve.
    for (PaintedKey& k : shape.painted)
      if (k.frame == id) k.dissolves = easing != Easing::hold;
  }
}

}  // namespace tsukimi
